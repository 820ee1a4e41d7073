import { createCipheriv, createHash } from "node:crypto";
import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { mapped } from "./helpers/build.ts";
import { builtLines, linesOf } from "./helpers/simulation.ts";

/** Whole designs whose answers others have published: the language at work, not clause by clause. */

const sha256 = `
module sha256 (input clk, input rst, input load, input [511:0] block, output reg [255:0] digest, output reg ready);
  function [31:0] rotr(input [31:0] x, input [4:0] n); rotr = (x >> n) | (x << (6'd32 - n)); endfunction
  function [31:0] s0(input [31:0] x); s0 = rotr(x, 7) ^ rotr(x, 18) ^ (x >> 3); endfunction
  function [31:0] s1(input [31:0] x); s1 = rotr(x, 17) ^ rotr(x, 19) ^ (x >> 10); endfunction
  function [31:0] e0(input [31:0] x); e0 = rotr(x, 2) ^ rotr(x, 13) ^ rotr(x, 22); endfunction
  function [31:0] e1(input [31:0] x); e1 = rotr(x, 6) ^ rotr(x, 11) ^ rotr(x, 25); endfunction
  // fractional parts of cube roots of primes, by integer roots
  function [31:0] frac3(input [9:0] p); reg [127:0] lo, hi, mid; begin
    lo = 0; hi = 128'd1 << 40;
    while (hi - lo > 1) begin mid = (lo + hi) >> 1; if (mid * mid * mid <= ({118'd0, p} << 96)) lo = mid; else hi = mid; end
    frac3 = lo[31:0]; end endfunction
  function [31:0] frac2(input [9:0] p); reg [127:0] lo, hi, mid; begin
    lo = 0; hi = 128'd1 << 40;
    while (hi - lo > 1) begin mid = (lo + hi) >> 1; if (mid * mid <= ({118'd0, p} << 64)) lo = mid; else hi = mid; end
    frac2 = lo[31:0]; end endfunction
  reg [31:0] k [0:63]; reg [31:0] h0 [0:7]; integer i, n, d; reg prime;
  initial begin
    i = 0; n = 2;
    while (i < 64) begin
      prime = 1; for (d = 2; d * d <= n; d = d + 1) if (n % d == 0) prime = 0;
      if (prime) begin k[i] = frac3(n); if (i < 8) h0[i] = frac2(n); i = i + 1; end
      n = n + 1;
    end
  end
  reg [31:0] w [0:15]; reg [31:0] a, b, c, dd, e, f, g, h; reg [6:0] t;
  wire [31:0] next_w = s1(w[14]) + w[9] + s0(w[1]) + w[0];
  wire [31:0] t1 = h + e1(e) + ((e & f) ^ (~e & g)) + k[t[5:0]] + w[0];
  wire [31:0] t2 = e0(a) + ((a & b) ^ (a & c) ^ (b & c));
  always @(posedge clk)
    if (rst) begin ready <= 1; t <= 64; end
    else if (load) begin
      for (i = 0; i < 16; i = i + 1) w[i] <= block[511 - 32 * i -: 32];
      {a, b, c, dd, e, f, g, h} <= {h0[0], h0[1], h0[2], h0[3], h0[4], h0[5], h0[6], h0[7]};
      t <= 0; ready <= 0;
    end else if (t < 64) begin
      for (i = 0; i < 15; i = i + 1) w[i] <= w[i + 1];
      w[15] <= next_w;
      h <= g; g <= f; f <= e; e <= dd + t1; dd <= c; c <= b; b <= a; a <= t1 + t2;
      t <= t + 1;
    end else if (!ready) begin
      digest <= {h0[0] + a, h0[1] + b, h0[2] + c, h0[3] + dd, h0[4] + e, h0[5] + f, h0[6] + g, h0[7] + h};
      ready <= 1;
    end
endmodule
module tb;
  reg clk = 0, rst = 1, load = 0; reg [511:0] block; wire [255:0] digest; wire ready;
  sha256 dut(.*);
  always #5 clk = ~clk;
  task hash(input [511:0] m); begin
    @(negedge clk) block = m; load = 1; @(negedge clk) load = 0; wait (ready); @(negedge clk) $display("%h", digest);
  end endtask
  initial begin
    repeat (2) @(negedge clk); rst = 0;
    hash({8'h80, 440'd0, 64'd0});
    hash({24'h616263, 8'h80, 416'd0, 64'd24});
    $finish;
  end
endmodule`;

const aes = `
package aes_pkg;
  typedef logic [7:0] byte_t;
  typedef byte_t [15:0] block_t;
  function automatic byte_t xtime(byte_t a); return {a[6:0], 1'b0} ^ (a[7] ? 8'h1b : 8'h00); endfunction
  function automatic byte_t mul(byte_t a, byte_t b);
    byte_t p = 0;
    for (int i = 0; i < 8; i++) begin if (b[i]) p ^= a; a = xtime(a); end
    return p;
  endfunction
  // a to the 254th power is its inverse
  function automatic byte_t sbox(byte_t a);
    byte_t x = 1, r;
    for (int i = 0; i < 254; i++) x = mul(x, a);
    if (a == 0) x = 0;
    r = x;
    repeat (4) begin x = {x[6:0], x[7]}; r ^= x; end
    return r ^ 8'h63;
  endfunction
endpackage
module aes128 import aes_pkg::*; (input logic clk, start, input block_t key, plain, output block_t cipher, output logic done);
  byte_t table_q [256];
  initial foreach (table_q[i]) table_q[i] = sbox(byte_t'(i));
  function automatic block_t sub_shift(block_t s);
    block_t r;
    for (int c = 0; c < 4; c++) for (int row = 0; row < 4; row++) r[15 - (4 * c + row)] = table_q[s[15 - (4 * ((c + row) % 4) + row)]];
    return r;
  endfunction
  function automatic block_t mix(block_t s);
    block_t r;
    for (int c = 0; c < 4; c++)
      for (int row = 0; row < 4; row++)
        r[15 - (4 * c + row)] = mul(8'd2, s[15 - (4 * c + row)]) ^ mul(8'd3, s[15 - (4 * c + (row + 1) % 4)])
          ^ s[15 - (4 * c + (row + 2) % 4)] ^ s[15 - (4 * c + (row + 3) % 4)];
    return r;
  endfunction
  function automatic block_t next_key(block_t k, byte_t rc);
    logic [31:0] w [4]; logic [31:0] t;
    for (int i = 0; i < 4; i++) w[i] = {k[15 - 4 * i], k[14 - 4 * i], k[13 - 4 * i], k[12 - 4 * i]};
    t = {table_q[w[3][23:16]] ^ rc, table_q[w[3][15:8]], table_q[w[3][7:0]], table_q[w[3][31:24]]};
    w[0] ^= t; for (int i = 1; i < 4; i++) w[i] ^= w[i - 1];
    return {w[0], w[1], w[2], w[3]};
  endfunction
  block_t state, round_key; byte_t rc; logic [3:0] round;
  enum logic [1:0] {IDLE, RUN, LAST} phase = IDLE;
  block_t following;
  assign following = next_key(round_key, rc);
  assign cipher = state;
  always_ff @(posedge clk) begin
    done <= 0;
    unique case (phase)
      IDLE: if (start) begin state <= plain ^ key; round_key <= key; rc <= 1; round <= 1; phase <= RUN; end
      RUN: begin
        state <= mix(sub_shift(state)) ^ following; round_key <= following; rc <= xtime(rc);
        round <= round + 1'b1; if (round == 9) phase <= LAST;
      end
      LAST: begin state <= sub_shift(state) ^ following; done <= 1; phase <= IDLE; end
      default: phase <= IDLE;
    endcase
  end
endmodule
module tb;
  logic clk = 0, start = 0, done; logic [127:0] key, plain, cipher;
  aes128 dut(.*);
  always #5 clk = ~clk;
  initial begin
    for (int n = 0; n < 4; n++) begin
      void'($value$plusargs($sformatf("key%0d=%%h", n), key)); void'($value$plusargs($sformatf("plain%0d=%%h", n), plain));
      @(negedge clk) start = 1; @(negedge clk) start = 0; @(posedge done) #1 $display("%h", cipher);
    end
    $finish;
  end
endmodule`;

describe("known vectors", () => {
  it("SHA-256 of the empty message and of abc (FIPS 180-4), its constants worked out by the design", () => {
    const digest = (text: string) => createHash("sha256").update(text).digest("hex");
    expect(linesOf(sha256, { top: "tb" })).toEqual([digest(""), digest("abc")]);
  });
  it("AES-128 (FIPS 197) with random keys, S-box worked out by the design", () => {
    const random = new Random(5);
    const hex = () => Array.from({ length: 16 }, () => random.below(256).toString(16).padStart(2, "0")).join("");
    const pairs = Array.from({ length: 4 }, () => ({ key: hex(), plain: hex() }));
    const plusArgs = pairs.flatMap(({ key, plain }, n) => [`key${n}=${key}`, `plain${n}=${plain}`]);
    const expected = pairs.map(({ key, plain }) => {
      const cipher = createCipheriv("aes-128-ecb", Buffer.from(key, "hex"), null).setAutoPadding(false);
      return cipher.update(plain, "hex", "hex");
    });
    expect(linesOf(aes, { top: "tb", plusArgs, maxTurns: 10_000_000 })).toEqual(expected);
  });
});

describe("the mapped circuit", () => {
  it("runs in the same test bench as its source, and prints the same", () => {
    const source = `module tally #(parameter W = 6)(input clk, input rst, input up, input down, output reg [W-1:0] n, output [W-1:0] gray, output full);
  always @(posedge clk or posedge rst) if (rst) n <= 0; else n <= n + up - down;
  assign gray = n ^ (n >> 1); assign full = &n;
endmodule`;
    const bench = `module tb; reg clk = 0, rst = 1, up = 0, down = 0; wire [5:0] n, gray; wire full; integer i;
  tally dut(.clk(clk), .rst(rst), .up(up), .down(down), .n(n), .gray(gray), .full(full));
  initial begin rst = 0; #1 rst = 1; #2 rst = 0; for (i = 0; i < 200; i = i + 1) begin {up, down} = $random; #2 clk = 1; #2 clk = 0; $display("%d %b %b", n, gray, full); if (i == 90) begin rst = 1; #1 rst = 0; end end $finish; end
endmodule`;
    const before = linesOf(
      [
        { name: "tally.v", text: source },
        { name: "tb.v", text: bench },
      ],
      { top: "tb" },
    );
    const after = builtLines(mapped(source, "tally"), bench);
    expect(before).toHaveLength(200);
    expect(after).toEqual(before);
  });
});
