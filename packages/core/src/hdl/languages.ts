/** Files of a design by their language: VHDL by its endings, all other source text is Verilog or SystemVerilog. */
export const isVhdl = (name: string): boolean => /\.(vhd|vhdl)$/i.test(name);
