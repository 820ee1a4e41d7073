import { describe, expect, it } from "vitest";
import { elaborate } from "../../src/elaborate/index.ts";
import { runText } from "../helpers/simulation.ts";

const tools = (n: number) => `package tools is constant n : integer := ${n}; function f return integer; end;
package body tools is function f return integer is begin return ${10 * n}; end; end;
use work.tools.all;
entity part is generic (g : integer := n); port (y : out integer range 0 to 255); end;
architecture a of part is begin y <= f + g; end;
`;
const top = (libraries: string, values: string) => `library ${libraries};
entity tb is end;
architecture t of tb is signal a, b : integer range 0 to 255; begin
p1 : entity weave.part port map (a);
p2 : entity loom.part port map (b);
process begin wait for 1 ns; report ${values}; wait; end process;
end;
`;
const run = (files: readonly [string, string][]) =>
  runText(
    files.map(([name, text]) => ({ name, text })),
    { top: "tb" },
  );

describe("libraries", () => {
  it("are the folders that have their names, each with units and a 'work' of its own", () => {
    const { text } = run([
      [
        "tb.vhd",
        top("weave, loom", 'integer\'image(a) & " " & integer\'image(b) & " " & integer\'image(weave.tools.n)'),
      ],
      ["weave/tools.vhd", tools(4)],
      ["rtl/Loom/sub/tools.vhd", tools(5)],
    ]);
    expect(text).toBe("44 55 4\n");
  });
  it("are the design itself where no folder has the name, and units outside are seen from within", () => {
    const { text } = run([
      ["tb.vhd", top("weave, loom", "integer'image(a) & \" \" & integer'image(b)")],
      ["weave/part.vhd", tools(4).replace(/^package tools[\s\S]*?end; end;\n/, "")],
      ["common/tools.vhd", tools(6).replace(/use work[\s\S]*/, "")],
    ]);
    expect(text).toBe("66 66\n");
  });
  it("may have units of one name each, but not two of one name", () => {
    const codes = (files: readonly [string, string][]) =>
      elaborate(
        files.map(([name, text]) => ({ name, text })),
        { top: "top" },
      ).findings.map(({ code, place }) => `${code} ${place.file}`);
    const entity = "entity part is port (y : out bit); end;\narchitecture a of part is begin y <= '1'; end;\n";
    const user = (library: string) =>
      `library ${library};\nentity top is port (y : out bit); end;\narchitecture a of top is begin p : entity ${library}.part port map (y); end;\n`;
    expect(
      codes([
        ["top.vhd", user("weave")],
        ["weave/a.vhd", entity],
        ["b.vhd", entity],
      ]),
    ).toEqual([]);
    expect(
      codes([
        ["top.vhd", user("weave")],
        ["weave/a.vhd", entity],
        ["weave/b.vhd", entity],
      ]),
    ).toContain("vhdl/duplicate-unit weave/b.vhd");
  });
  it("lead to what an entity of theirs is made of in the circuit", () => {
    const { artifact, findings } = elaborate(
      [
        {
          name: "top.vhd",
          text: "library weave;\nentity top is port (y : out integer range 0 to 255); end;\narchitecture a of top is component part is port (y : out integer range 0 to 255); end component; for all : part use entity weave.part; begin p : part port map (y); end;\n",
        },
        { name: "weave/tools.vhd", text: tools(4) },
        { name: "tools.vhd", text: tools(7) },
      ],
      { top: "top" },
    );
    expect(findings).toEqual([]);
    // 44, from bit 0 on
    expect(artifact!.netlist.ports[0].bits.join("")).toBe("00110100");
  });
});
