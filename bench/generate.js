/** A design of about the wanted number of LUTs, in the loom's manner: many small regulators that feed each other. */
export function generateDesign(luts) {
  const perBlock = 48; // measured once; the report gives the real number
  const blocks = Math.max(1, Math.round(luts / perBlock));
  const lines = ["module bench(input clk, input rst, input [15:0] a, output reg [15:0] y);"];
  for (let i = 0; i < blocks; i++) {
    const from = i ? `r${i - 1}` : "a";
    const near = (i * 7 + 3) % blocks;
    const other = `r${near === i ? (i + 1) % blocks : near}`; // itself would fold away
    lines.push(
      `  reg [15:0] r${i};`,
      `  always @(posedge clk) if (rst) r${i} <= 16'd${i}; else if (${from}[${i % 16}]) r${i} <= (${from} ^ {${other}[6:0], ${other}[15:7]}) + ${other}; else r${i} <= r${i} - {${from}[7:0], 8'd${i % 251}};`,
    );
  }
  lines.push(
    `  always @(posedge clk) y <= ${Array.from({ length: Math.min(blocks, 8) }, (_, i) => `r${Math.floor((i * blocks) / Math.min(blocks, 8))}`).join(" ^ ")};`,
    "endmodule",
    "",
  );
  return lines.join("\n");
}
