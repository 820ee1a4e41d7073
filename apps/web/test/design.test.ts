import type { Finding, TextEdit } from "@gate-clock/core";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { formatFocus, parseFocus } from "../src/focus/focus.ts";
import { formatBytes, formatDuration, formatNs } from "../src/ui/format.ts";
import { applyEdit } from "../src/workbench/text-edit.ts";
import { headsOf } from "./heads.ts";

describe("applyEdit", () => {
  const text = "module m(input a, output y);\n  assign y = b\nendmodule\n";
  const edit = (fields: Partial<TextEdit>): TextEdit => ({ file: "m.v", label: "", text: "", ...fields });
  it("inserts and replaces by line and column", () => {
    expect(applyEdit(text, edit({ line: 2, column: 15, endLine: 2, endColumn: 15, text: ";" }))).toBe(
      text.replace("= b\n", "= b;\n"),
    );
    expect(applyEdit(text, edit({ line: 2, column: 14, endLine: 2, endColumn: 15, text: "a" }))).toBe(
      text.replace("= b", "= a"),
    );
  });
  it("appends on a line of its own", () => {
    expect(applyEdit("x", edit({ append: true, text: "y\n" }))).toBe("x\ny\n");
    expect(applyEdit("", edit({ append: true, text: "y\n" }))).toBe("y\n");
  });
  it("never loses text outside of the edit, wherever it points", () => {
    fc.assert(
      fc.property(fc.string(), fc.nat(9), fc.nat(9), fc.string(), (old, line, column, added) => {
        const result = applyEdit(
          old,
          edit({ line: line + 1, column: column + 1, endLine: line + 1, endColumn: column + 1, text: added }),
        );
        expect(result.length).toBe(old.length + added.length);
      }),
    );
  });
});

describe("the focus in the address", () => {
  it("comes back as it was written, whatever the name", () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), fc.constantFrom("net", "cell", "pin"), (name, kind) => {
        expect(parseFocus(formatFocus({ kind: kind as "net", name }))).toEqual({ kind, name });
      }),
    );
    expect(parseFocus(formatFocus({ kind: "line", file: "a:b.v", line: 12 }))).toEqual({
      kind: "line",
      file: "a:b.v",
      line: 12,
    });
  });
  it("is nothing where the address makes no sense", () => {
    for (const text of [null, "", "net", "net:", "poem:x", "line:a.v", "line:a.v:x"])
      expect(parseFocus(text)).toBeNull();
  });
});

describe("figures", () => {
  it("have the precision that people compare at", () => {
    expect(formatNs(1234.6)).toBe("1.235");
    expect(formatNs(null)).toBe("–");
    expect(formatBytes(62364)).toBe("60.9 KiB");
    expect(formatDuration(950)).toBe("950 ms");
    expect(formatDuration(65_000)).toBe("1 min 5 s");
  });
  it("say nothing good about a design that was not built, and name errors in the row of stations", () => {
    const finding: Finding = { code: "x/y", severity: "error", place: {}, message: "" };
    const check = {
      sourceFindings: [finding],
      pinFindings: [],
      timingFindings: [],
      modules: ["m"],
      hierarchy: null,
      needs: [],
      plan: null,
      clocks: [],
      clockPorts: [],
    };
    const benches = { figure: "not run", tone: "open" as const, isOld: false };
    const heads = headsOf({ check: check as never, benches });
    expect(heads["sources"]).toMatchObject({ figure: "1 error", tone: "bad" });
    for (const path of ["fit", "layout", "timing", "image", "bench"])
      expect(heads[path]).toMatchObject({ figure: "not built", tone: "open" });
  });
  it("show no verdict of an earlier text as the present one", () => {
    const sound = {
      sourceFindings: [],
      pinFindings: [],
      timingFindings: [],
      modules: ["m"],
      testBenches: [],
      hierarchy: null,
      needs: [],
      plan: null,
      clocks: [],
      clockPorts: [],
    };
    const benches = { figure: "not run", tone: "open" as const, isOld: false };
    const sources = (kind: "current" | "checking" | "unfinished") =>
      headsOf({ check: sound as never, checkKind: kind, benches })["sources"];
    expect(sources("current")).toMatchObject({ figure: "1 module", tone: "good", isOld: false });
    expect(sources("checking")).toMatchObject({ isOld: true });
    expect(sources("unfinished")).toMatchObject({ figure: "not finished", tone: "warn" });
  });
});
