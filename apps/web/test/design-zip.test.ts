import type { Design, DesignFile } from "@gate-clock/contract";
import { strToU8, zipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { kindOf, packDesign, unpackZip } from "../src/design/design-zip.ts";

const file = (path: string, text: string): DesignFile => ({
  id: path,
  path,
  kind: kindOf(path),
  text,
  version: 1,
  updatedAt: "",
});
const design = {
  name: "warp tension",
  description: "Keeps the warp even.",
  part: "TW-2-P144-2C",
  board: "shuttle",
  top: "tension",
  recipe: "even",
  seed: 3,
  files: [
    file("rtl/tension.v", "module tension; endmodule\n"),
    file("tb.sv", "// größer\n"),
    file("shuttle.pins", "clk at W1\n"),
    file("t.sdc", ""),
  ],
} as unknown as Design;
const asFile = (data: Uint8Array | Blob, name = "d.zip") => new File([data as BlobPart], name);

describe("a design as a zip", () => {
  it("opens again with all its files, in their order, and its settings", async () => {
    const blob = await packDesign(design, (id) => design.files.find((each) => each.id === id)!.text);
    const { files, settings, skipped } = await unpackZip(asFile(blob));
    expect(files).toEqual(design.files.map(({ path, kind, text }) => ({ path, kind, text })));
    expect(settings).toEqual({
      name: "warp tension",
      description: "Keeps the warp even.",
      part: "TW-2-P144-2C",
      board: "shuttle",
      top: "tension",
    });
    expect(skipped).toEqual([]);
  });
  it("loses one folder around everything, hidden files and what is no text, and says so", async () => {
    const data = zipSync({
      "d/a.v": strToU8("a"),
      "d/sub/b.v": strToU8("b"),
      "d/.git/x": strToU8("x"),
      "d/pic.png": new Uint8Array([1, 0, 2]),
    });
    const { files, skipped } = await unpackZip(asFile(data));
    expect(files.map((each) => each.path)).toEqual(["a.v", "sub/b.v"]);
    expect(skipped).toEqual(["pic.png: not text"]);
  });
  it("is refused in words when it is none", async () => {
    await expect(unpackZip(asFile(strToU8("no zip at all")))).rejects.toThrow(/not a zip file/);
  });
});
