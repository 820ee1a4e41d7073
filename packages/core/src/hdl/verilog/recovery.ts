import type { TokenStream } from "./token-stream.ts";

/** Words that begin or end something: reading can go on there after a mistake. */
export const stops: ReadonlySet<string> = new Set(
  `begin end if else case casez casex endcase for foreach while do repeat forever fork join join_any join_none always
  always_comb always_ff always_latch assign initial final module endmodule interface endinterface package endpackage
  program endprogram wire reg logic bit int integer input output inout parameter localparam typedef function
  endfunction task endtask class endclass generate endgenerate genvar return disable wait force release`.split(/\s+/),
);

/** Words at which a list of statements is surely over. */
export const blockEnds: readonly string[] = [
  "end",
  "endmodule",
  "endcase",
  "endfunction",
  "endtask",
  "endinterface",
  "endpackage",
  "endprogram",
  "endgenerate",
  "endclass",
  "join",
  "join_any",
  "join_none",
  "always",
  "always_comb",
  "always_ff",
  "always_latch",
  "initial",
  "final",
  "module",
  "interface",
];

export function parseSemicolon(s: TokenStream, after: string): void {
  if (s.accept(";")) return;
  s.missing(";", after);
  // On a later line, or before a word that opens something, only the semicolon is missing; else the line is odd.
  const { kind } = s.current;
  if (kind === "keyword" || kind === "end" || kind === "name" || kind === "system") return;
  s.skipTo(stops);
}

/** `: name` behind an end word; it must repeat the name. */
export function parseEndLabel(s: TokenStream, name: string | null): void {
  if (!s.accept(":")) return;
  const { text, loc, kind } = s.current;
  if (kind !== "name" && !(kind === "keyword" && text === "new")) {
    s.unexpected("the name that ends here");
    return;
  }
  s.next();
  if (name !== null && text !== name)
    s.report("verilog/end-name", loc, `This ends '${name}', but names '${text}'.`, `Write '${name}', or leave it out.`);
}
