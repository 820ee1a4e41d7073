import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import {
  recordAll,
  simulate,
  VcdError,
  VcdSink,
  valueText,
  vcdLoader,
  WaveStore,
  type Waves,
  writeVcd,
} from "../src/simulate/index.ts";

const bytes = (text: string) => Uint8Array.from(text, (c) => c.charCodeAt(0));
function load(text: string, chunk = 1 << 16): Waves {
  const { reader, finish } = vcdLoader();
  const all = bytes(text);
  for (let at = 0; at < all.length; at += chunk) reader.push(all.subarray(at, at + chunk));
  return finish();
}
const changes = (waves: Waves) =>
  Object.fromEntries(
    waves.tracks.map((track) => [
      [...track.path, track.name].join("."),
      Array.from(track.times, (time, i) => `${time}:${valueText(track, i, "binary")}`).join(" "),
    ]),
  );

const bench = `\`timescale 1ns/1ps
module leaf(input clk, output reg [39:0] wide, output reg [3:0] n); always @(posedge clk) begin wide <= {wide[38:0], n[0]}; n <= n + 1; end initial begin n = 4'bx; #7 n = 0; end endmodule
module t; reg clk = 0; wire z; wire [39:0] w; wire [3:0] n; real r = 0; reg up = 0;
  leaf u(clk, w, n); assign z = up ? 1'b1 : 1'bz;
  always #5 clk = ~clk;
  initial begin #12 r = 1.5; up = 1; #20 r = -3e-3; up = 0; #30 $finish; end endmodule`;

describe("value change dumps", () => {
  it("hold what was recorded, written and read again, in pieces of any size", () => {
    const store = new WaveStore();
    let text = "";
    simulate([{ name: "t.v", text: bench }], { top: "t", record: recordAll }, { sink: store });
    simulate(
      [{ name: "t.v", text: bench }],
      { top: "t", record: recordAll },
      { sink: new VcdSink((piece) => void (text += piece)) },
    );
    const own = changes(store.waves());
    expect(Object.keys(own)).toContain("t.u.wide");
    for (const chunk of [1, 7, 64, 1 << 16]) expect(changes(load(text, chunk))).toEqual(own);
    expect(load(text).precision).toBe(-12);
  });
  it("of a selection hold its values from the start of its time on", () => {
    const store = new WaveStore();
    simulate([{ name: "t.v", text: bench }], { top: "t", record: recordAll }, { sink: store });
    const waves = store.waves();
    const chosen = waves.tracks.filter((track) => track.name === "n" || track.name === "clk");
    let text = "";
    writeVcd(waves, chosen, 12_000, 33_000, (piece) => void (text += piece));
    const read = load(text);
    expect(read.tracks).toHaveLength(chosen.length);
    for (const track of read.tracks) {
      expect(track.times[0]).toBe(12_000);
      expect(track.times.at(-1)).toBeLessThanOrEqual(33_000);
      const source = chosen.find((each) => each.name === track.name && each.path.join() === track.path.join())!;
      const expected = Array.from(source.times).filter((time) => time > 12_000 && time <= 33_000);
      expect(Array.from(track.times).slice(1)).toEqual(expected);
    }
  });
  it("of others are read: shared codes, single bits of buses, upper case, comments between values", () => {
    const text = `$date today $end $version some tool $end
$comment a comment
 of two lines $end
$timescale
  10 ns
$end
$scope module top $end
$var wire 1 ! clk $end
$scope task sub $end
$var reg 8 "a data [7:0] $end
$var wire 1 ! again $end
$upscope $end
$var wire 1 # bus [3] $end
$var integer 32 $ count $end
$upscope $end
$enddefinitions $end
#0
$dumpvars
0!
bX "a
X#
b101 $
$end
#3
1!
$comment nothing $end
bz01 "a
#10 0! Z#
`;
    expect(changes(load(text))).toEqual({
      "top.clk": "0:0 3:1 10:0",
      "top.sub.data": "0:xxxxxxxx 3:zzzzzz01",
      "top.sub.again": "0:0 3:1 10:0",
      "top.bus[3]": "0:x 10:z",
      "top.count": `0:${"101".padStart(32, "0")}`,
    });
    expect(load(text).precision).toBe(-8);
  });
  it("that are broken are refused with the line", () => {
    const head =
      "$timescale 1 ns $end\n$scope module t $end\n$var wire 1 ! a $end\n$upscope $end\n$enddefinitions $end\n";
    const cases: [string, RegExp][] = [
      ["", /declares no signals/],
      ["not a dump\n", /line 1: 'not' cannot stand/],
      [`${head}#5\n1?\n`, /line 7: no signal has the code '\?'/],
      [`${head}#5\n#3\n`, /line 7: time goes back/],
      [`${head}#x\n`, /line 6: '#x' is no time/],
      [`${head}b12 !\n`, /digits other than/],
      ["$timescale 3 weeks $end\n", /no time scale/],
      ["$var wire many ! a $end\n", /cannot be read/],
      [head.replace("$enddefinitions $end\n", ""), /before \$enddefinitions/],
    ];
    for (const [text, words] of cases) expect(() => load(text), text).toThrow(words);
  });
  it("stop being kept at a limit, and say so", () => {
    const { reader, finish } = vcdLoader(1600);
    reader.push(bytes("$timescale 1 ns $end $var wire 1 ! a $end $enddefinitions $end\n"));
    for (let i = 0; i < 500; i++) reader.push(bytes(`#${i}\n${i & 1}!\n`));
    const waves = finish();
    // a change of one bit takes ten bytes: its time and its two planes
    expect(waves.changes).toBe(160);
    expect(waves.stoppedAt).toBe(160);
  });
  it("with random damage never fail otherwise than with a line", () => {
    let text = "";
    simulate(
      [{ name: "t.v", text: bench }],
      { top: "t", record: recordAll },
      { sink: new VcdSink((piece) => void (text += piece)) },
    );
    const random = new Random(3);
    fc.assert(
      fc.property(fc.nat(text.length - 1), fc.nat(40), fc.boolean(), (at, count, insert) => {
        const junk = Array.from({ length: count }, () => String.fromCharCode(random.below(128))).join("");
        const damaged = insert ? text.slice(0, at) + junk + text.slice(at) : text.slice(0, at) + text.slice(at + count);
        try {
          load(damaged, 100);
        } catch (error) {
          expect(error).toBeInstanceOf(VcdError);
        }
      }),
      { numRuns: 400, seed: 4 },
    );
  });
});

describe("$dumpvars (IEEE 1364-2005 18.1.2)", () => {
  const recorded = (calls: string) => {
    let text = "";
    simulate(
      [
        {
          name: "t.v",
          text: `module leaf(input d); reg own = 0; endmodule
module inner(input d); reg r = 0; leaf f(d); endmodule
module t; reg a = 0; reg [7:0] b = 0; inner u(a); inner u2(a);
  initial begin ${calls} #5 a = 1; b = 3; #5 $finish; end
endmodule`,
        },
      ],
      {},
      {
        sink: new VcdSink((each) => {
          text += each;
        }),
      },
    );
    const names: string[] = [];
    const scopes: string[] = [];
    for (const line of text.split("\n")) {
      const words = line.trim().split(/\s+/);
      if (words[0] === "$scope") scopes.push(words[2]);
      else if (words[0] === "$upscope") scopes.pop();
      else if (words[0] === "$var") names.push([...scopes, words[4]].join("."));
    }
    return names.sort();
  };
  const u = ["t.u.d", "t.u.f.d", "t.u.f.own", "t.u.r"];
  it("records everything without arguments", () => {
    expect(recorded("$dumpvars;")).toHaveLength(10);
  });
  it("takes levels and scopes", () => {
    expect(recorded("$dumpvars(1, t);")).toEqual(["t.a", "t.b"]);
    expect(recorded("$dumpvars(0, t.u);")).toEqual(u);
    expect(recorded("$dumpvars(1, t.u, t.u2.f);")).toEqual(["t.u.d", "t.u.r", "t.u2.f.d", "t.u2.f.own"]);
    expect(recorded("$dumpvars(2, t.u);")).toEqual(u);
  });
  it("takes variables, alone or beside scopes", () => {
    expect(recorded("$dumpvars(0, b);")).toEqual(["t.b"]);
    expect(recorded("$dumpvars(1, t.u.r, b);")).toEqual(["t.b", "t.u.r"]);
    expect(recorded("$dumpvars(0, t.u, a);")).toEqual(["t.a", ...u]);
  });
  it("adds up calls at the same time", () => {
    expect(recorded("$dumpvars(1, t.u); $dumpvars(0, b);")).toEqual(["t.b", "t.u.d", "t.u.r"]);
  });
});
