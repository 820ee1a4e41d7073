import { describe, expect, it } from "vitest";
import { linesOf, printed, runText } from "../helpers/simulation.ts";

/** IEEE 1364-2005 clause 17.1: what `$display` and its kin print. */
type Row = readonly [call: string, expected: string];

const declarations =
  "reg [7:0] a; reg signed [7:0] s; reg [3:0] x; reg [31:0] w; integer i; real r; reg [63:0] t; reg [8*6:1] text; reg one; reg [4:0] v;";
const setup =
  "a = 8'h0A; s = -8'sd5; x = 4'b1x0z; w = 32'hDEAD_BEEF; i = -12; r = 3.14159; t = 1000; text = \"loom\"; one = 1; v = 5'b10x01;";

const groups: Record<string, readonly Row[]> = {
  "sizes of %d": [
    ['"%d", a', " 10"],
    ['"%0d", a', "10"],
    ['"%d", s', "  -5"],
    ['"%0d", s', "-5"],
    ['"%d", i', "        -12"],
    ['"%d", w', "3735928559"],
    ['"%d", one', "1"],
    ['"%5d", a', "   10"],
    ['"%05d", a', "00010"],
    ['"%-5d|", a', "10   |"],
    ['"%1d", w', "3735928559"],
    ['"%d", x', " X"],
    ['"%d", 4\'bxxxx', " x"],
    ['"%d", 4\'bzzzz', " z"],
    ['"%d", 4\'b0z00', " Z"],
    ['"%0d", 4\'bxxxx', "x"],
    ['"%d", t', "                1000"],
  ],
  "other radices": [
    ['"%b", a', "00001010"],
    ['"%0b", a', "1010"],
    ['"%h", a', "0a"],
    ['"%0h", a', "a"],
    ['"%H", w', "deadbeef"],
    ['"%x", w', "deadbeef"],
    ['"%o", a', "012"],
    ['"%0o", a', "12"],
    ['"%b", x', "1x0z"],
    ['"%h", x', "X"],
    ['"%o", v', "2X"],
    ['"%h", 8\'bxxxx_0000', "x0"],
    ['"%h", 8\'bzzzz_xxxx', "zx"],
    ['"%h", 8\'b000z_0001', "Z1"],
    ['"%h", 5\'b1xxxx', "1x"],
    ['"%b", s', "11111011"],
    ['"%h", s', "fb"],
    ['"%h", 0', "00000000"],
    ['"%0h", 0', "0"],
    ['"%b", 65\'d1 << 64', `1${"0".repeat(64)}`],
  ],
  "characters and strings": [
    ['"%c", 8\'h41', "A"],
    ['"%s", "loom"', "loom"],
    ['"%s|", text', "loom|"],
    ['"%0s|", text', "loom|"],
    ['"%10s|", "loom"', "      loom|"],
    ['"%-10s|", "loom"', "loom      |"],
    ['"a%%b"', "a%b"],
    ['"tab\\there"', "tab\there"],
    ['"quote \\" back \\\\"', 'quote " back \\'],
    ['"\\101\\102"', "AB"],
    ['"a", "b", "c"', "abc"],
    ['"n=", a', "n= 10"],
    ["a, s", " 10  -5"],
    ["a,, a", " 10  10"],
    ['"%s %0d", "x", 5', "x 5"],
    ['"%m"', "t"],
    ['""', ""],
  ],
  reals: [
    ['"%f", r', "3.141590"],
    ['"%0.2f", r', "3.14"],
    ['"%8.3f|", r', "   3.142|"],
    ['"%e", r', "3.141590e+00"],
    ['"%g", r', "3.14159"],
    ['"%g", 1e10', "1e+10"],
    ['"%g", 0.0001', "0.0001"],
    ['"%g", 100000.0', "100000"],
    ['"%f", 1.0/3', "0.333333"],
    ["r", "3.14159"],
    ['"%0d", r', "3"],
    ['"%-8.1f|", r', "3.1     |"],
    ['"%f", a', "10.000000"],
  ],
  "default radices": [
    ["8'd12", " 12"],
    ["a + 1", "        11"],
    ["4'd3, 4'd4", " 3 4"],
  ],
};

for (const [name, rows] of Object.entries(groups)) {
  describe(`$display: ${name}`, () => {
    const body = rows.map(([call]) => `$display(${call});`).join("\n");
    const out = printed(declarations, `${setup}\n${body}`).split("\n");
    rows.forEach(([call, expected], i) => {
      it(`(${call}) prints '${expected}'`, () => expect(out[i]).toBe(expected));
    });
  });
}

describe("the tasks beside $display", () => {
  it("prints in the radix of the task's name", () => {
    expect(printed("", "$displayb(4'd5); $displayo(8'd9); $displayh(8'd200); $writeb(2'd2); $write(\"\\n\");")).toBe(
      "0101\n011\nc8\n10\n",
    );
  });
  it("writes without a line end", () => {
    expect(printed("", '$write("a"); $write("b\\n"); $display("c");')).toBe("ab\nc\n");
  });
  it("strobes what holds at the end of the slot", () => {
    expect(printed("reg a;", 'a = 0; $strobe("s %b", a); $display("d %b", a); a = 1; #1 ;')).toBe("d 0\ns 1\n");
  });
  it("monitors changes, once a slot, time alone not counting", () => {
    const text = `module t; reg [3:0] a; initial begin $monitor("%0d a=%0d", $time, a); a = 0; #5 a = 1; #5 a = 1; #5 a = 2; a = 3; #5 $finish; end endmodule`;
    expect(linesOf(text)).toEqual(["0 a=0", "5 a=1", "15 a=3"]);
  });
  it("switches monitoring off and on", () => {
    const text = `module t; reg [3:0] a; initial begin $monitor("%0d", a); a = 0; #1 $monitoroff; #1 a = 1; #1 $monitoron; #1 a = 2; #1 $finish; end endmodule`;
    expect(linesOf(text)).toEqual(["0", "1", "2"]);
  });
  it("scales time to its module's unit and shows it by $timeformat", () => {
    const text =
      '`timescale 1ns/1ps\nmodule t; initial begin #12.3456; $display("%0d %0.4f", $time, $realtime); $display("%t|", $realtime); $timeformat(-9, 2, " ns", 12); $display("%t|", $realtime); $display("%0t|", $realtime); $timeformat(-6, 3, " us", 0); $display("%t|", $realtime); end endmodule';
    expect(linesOf(text)).toEqual(["12 12.3460", "               12346|", "    12.35 ns|", "12.35 ns|", "0.012 us|"]);
  });
  it("names scopes with %m", () => {
    const text =
      'module leaf; initial begin : inner #1 $display("%m"); end endmodule\nmodule t; leaf u1(); genvar g; generate for (g = 0; g < 2; g = g + 1) begin : lane leaf u(); end endgenerate endmodule';
    expect(linesOf(text)).toEqual(["t.u1.inner", "t.lane[0].u.inner", "t.lane[1].u.inner"]);
  });
  it("formats into strings with $sformat, $swrite and $sformatf", () => {
    const body =
      '$sformat(v, "%0d-%h", 5, 8\'hAB); $display("%0s", v); $swrite(v, "x", 3\'d5); $display("%0s", v); s = $sformatf("%b", 3\'b101); $display("%s", s);';
    expect(printed("reg [8*20:1] v; string s;", body)).toBe("5-ab\nx5\n101\n");
  });
  it("writes files, and reads them back", () => {
    const body =
      'f = $fopen("out.txt", "w"); $fdisplay(f, "pick %0d", 7); $fwrite(f, "weft\\n"); $fclose(f); f = $fopen("out.txt", "r"); n = $fscanf(f, "pick %d\\n", a); $display("%0d %0d", n, a); n = $fgets(line, f); $display("%0d %0s", n, line); $display("%0d", $feof(f));';
    expect(printed("integer f, n, a; reg [8*10:1] line;", body)).toBe("1 7\n5 weft\n\n1\n");
  });
  it("writes to several channels at once", () => {
    expect(
      printed("integer f;", 'f = $fopen("log"); $fdisplay(f | 1, "both"); $fdisplay(f, "file"); $display("%0d", f);'),
    ).toBe("both\n2\n");
  });
  it("reads plus arguments", () => {
    const text =
      'module t; integer n; reg [8*8:1] s; real r; initial begin if ($test$plusargs("fast")) $display("fast"); if ($value$plusargs("picks=%d", n)) $display("%0d", n); if ($value$plusargs("name=%s", s)) $display("%0s", s); if (!$value$plusargs("none=%d", n)) $display("no"); end endmodule';
    expect(linesOf(text, { plusArgs: ["fast", "picks=42", "name=loom"] })).toEqual(["fast", "42", "loom", "no"]);
  });
  it("fills memories from files and writes them", () => {
    const files = [
      {
        name: "t.sv",
        text: 'module t; reg [7:0] m [0:7]; integer i; initial begin $readmemh("m.hex", m); for (i = 0; i < 8; i = i + 1) $write("%h ", m[i]); $write("\\n"); $readmemb("b.mem", m, 2, 3); $display("%h %h", m[2], m[3]); end endmodule',
      },
      { name: "m.hex", text: "// comment\n0a 0B\n@4 1x /* two\nlines */ ff\n" },
      { name: "b.mem", text: "1111_0000 10101010" },
    ];
    expect(linesOf(files)).toEqual(["0a 0b xx xx 1x ff xx xx ", "f0 aa"]);
    // underscores part the digits of an address too, and none begins with one
    const [main] = files;
    expect(linesOf([main, { name: "m.hex", text: "@0_5 77" }, files[2]])[0]).toBe("xx xx xx xx xx 77 xx xx ");
    expect(runText([main, { name: "m.hex", text: "@_5 77" }, files[2]]).findings.join()).toMatch(/the address @_5/);
  });
});

describe("$random", () => {
  it("gives the numbers that the standard's own algorithm gives for a seed", () => {
    // computed with the C text of IEEE 1364-2005 clause 17.9.3, seed 0 at first
    expect(printed("integer s;", 's = 0; $display("%h", $random(s)); $display("%h", $random(s));')).toBe(
      "12153524\nc0895e81\n",
    );
  });
  it("repeats for the same seed, and keeps to a range", () => {
    const body =
      'ok = 1; for (i = 0; i < 200; i = i + 1) begin n = $urandom_range(10, 5); if (n < 5 || n > 10) ok = 0; n = $random % 8; if (n < -7 || n > 7) ok = 0; n = {$random} % 8; if (n < 0 || n > 7) ok = 0; end $display("%b", ok);';
    expect(printed("integer i, n; reg ok;", body)).toBe("1\n");
  });
});
