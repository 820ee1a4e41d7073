import { fixedFloatTypesText, fixedGenericText, fixedText } from "./fixed.ts";

/** Nine-value logic (IEEE 1076-2008 clause 16.8 and its packages) and numbers made of it. */

const all = (names: readonly string[], text: (name: string) => string): string => names.map(text).join("\n");
const logical = ["and", "nand", "or", "nor", "xor", "xnor"];

const stdLogic1164Text = `package std_logic_1164 is
type std_ulogic is ('U', 'X', '0', '1', 'Z', 'W', 'L', 'H', '-');
type std_ulogic_vector is array (natural range <>) of std_ulogic;
function resolved (s : std_ulogic_vector) return std_ulogic;
subtype std_logic is resolved std_ulogic;
subtype std_logic_vector is (resolved) std_ulogic_vector;
subtype x01 is resolved std_ulogic range 'X' to '1';
subtype x01z is resolved std_ulogic range 'X' to 'Z';
subtype ux01 is resolved std_ulogic range 'U' to '1';
subtype ux01z is resolved std_ulogic range 'U' to 'Z';
${all(
  logical,
  (op) => `function "${op}" (l : std_ulogic; r : std_ulogic) return ux01;
function "${op}" (l, r : std_ulogic_vector) return std_ulogic_vector;
function "${op}" (l : std_ulogic_vector; r : std_ulogic) return std_ulogic_vector;
function "${op}" (l : std_ulogic; r : std_ulogic_vector) return std_ulogic_vector;
function "${op}" (l : std_ulogic_vector) return std_ulogic;`,
)}
function "not" (l : std_ulogic) return ux01;
function "not" (l : std_ulogic_vector) return std_ulogic_vector;
${all(["sll", "srl", "rol", "ror"], (op) => `function "${op}" (l : std_ulogic_vector; r : integer) return std_ulogic_vector;`)}
function to_bit (s : std_ulogic; xmap : bit := '0') return bit;
function to_bitvector (s : std_ulogic_vector; xmap : bit := '0') return bit_vector;
function to_stdulogic (b : bit) return std_ulogic;
function to_stdlogicvector (b : bit_vector) return std_logic_vector;
function to_stdlogicvector (s : std_ulogic_vector) return std_logic_vector;
function to_stdulogicvector (b : bit_vector) return std_ulogic_vector;
function to_stdulogicvector (s : std_logic_vector; dummy : boolean := false) return std_ulogic_vector;
${all(
  ["to_x01", "to_x01z", "to_ux01"],
  (name) => `function ${name} (s : std_ulogic_vector) return std_ulogic_vector;
function ${name} (s : std_ulogic) return std_ulogic;
function ${name} (b : bit_vector) return std_ulogic_vector;
function ${name} (b : bit) return std_ulogic;`,
)}
function to_01 (s : std_ulogic_vector; xmap : std_ulogic := '0') return std_ulogic_vector;
function to_01 (s : std_ulogic; xmap : std_ulogic := '0') return std_ulogic;
function rising_edge (signal s : std_ulogic) return boolean;
function falling_edge (signal s : std_ulogic) return boolean;
function is_x (s : std_ulogic_vector) return boolean;
function is_x (s : std_ulogic) return boolean;
alias to_bit_vector is to_bitvector [std_ulogic_vector, bit return bit_vector];
alias to_bv is to_bitvector [std_ulogic_vector, bit return bit_vector];
alias to_std_logic_vector is to_stdlogicvector [bit_vector return std_logic_vector];
alias to_slv is to_stdlogicvector [bit_vector return std_logic_vector];
alias to_std_ulogic_vector is to_stdulogicvector [bit_vector return std_ulogic_vector];
alias to_sulv is to_stdulogicvector [bit_vector return std_ulogic_vector];
function "??" (l : std_ulogic) return boolean;
${all(["?=", "?/="], (op) => `function "${op}" (l, r : std_ulogic) return std_ulogic;\nfunction "${op}" (l, r : std_ulogic_vector) return std_ulogic;`)}
${all(["?<", "?<=", "?>", "?>="], (op) => `function "${op}" (l, r : std_ulogic) return std_ulogic;`)}
function to_string (value : std_ulogic) return string;
function to_string (value : std_ulogic_vector) return string;
function to_hstring (value : std_ulogic_vector) return string;
function to_ostring (value : std_ulogic_vector) return string;
alias to_bstring is to_string [std_ulogic_vector return string];
alias to_binary_string is to_string [std_ulogic_vector return string];
alias to_hex_string is to_hstring [std_ulogic_vector return string];
alias to_octal_string is to_ostring [std_ulogic_vector return string];
${lineProcedures(["std_ulogic", "std_ulogic_vector"], "std_ulogic_vector")}
end package;
`;

/** `read`, `write` and their kin in octal and hexadecimal. */
function lineProcedures(types: readonly string[], vector: string, plain = true): string {
  const read = (name: string, type: string) =>
    `procedure ${name} (l : inout std.textio.line; value : out ${type}; good : out boolean);
procedure ${name} (l : inout std.textio.line; value : out ${type});`;
  const write = (name: string, type: string) =>
    `procedure ${name} (l : inout std.textio.line; value : in ${type}; justified : in std.textio.side := std.textio.right; field : in std.textio.width := 0);`;
  return [
    ...(plain ? types.flatMap((type) => [read("read", type), write("write", type)]) : []),
    ...["o", "h", "b"].flatMap((base) => [read(`${base}read`, vector), write(`${base}write`, vector)]),
  ].join("\n");
}

/** Two operands of which one may be a number. */
const mixed = (op: string, vector: string, number: string, result: string): string =>
  `function "${op}" (l, r : ${vector}) return ${result};
function "${op}" (l : ${vector}; r : ${number}) return ${result};
function "${op}" (l : ${number}; r : ${vector}) return ${result};`;

function numericText(name: string, element: string, isBit: boolean): string {
  const kinds = [
    ["unsigned", "natural"],
    ["signed", "integer"],
  ] as const;
  const one = (vector: string, number: string): string => `
${all(["+", "-", "*", "/", "rem", "mod"], (op) => mixed(op, vector, number, vector))}
${all(["+", "-"], (op) => `function "${op}" (l : ${vector}; r : ${element}) return ${vector};\nfunction "${op}" (l : ${element}; r : ${vector}) return ${vector};`)}
${all(["=", "/=", "<", "<=", ">", ">="], (op) => mixed(op, vector, number, "boolean"))}
${isBit ? "" : all(["?=", "?/=", "?<", "?<=", "?>", "?>="], (op) => mixed(op, vector, number, "std_ulogic"))}
${all(["minimum", "maximum"], (op) => mixed(op, vector, number, vector).replaceAll('"', ""))}
function "not" (l : ${vector}) return ${vector};
${all(
  logical,
  (op) => `function "${op}" (l, r : ${vector}) return ${vector};
function "${op}" (l : ${element}; r : ${vector}) return ${vector};
function "${op}" (l : ${vector}; r : ${element}) return ${vector};
function "${op}" (l : ${vector}) return ${element};`,
)}
${all(["shift_left", "shift_right", "rotate_left", "rotate_right"], (op) => `function ${op} (arg : ${vector}; count : natural) return ${vector};`)}
${all(["sll", "srl", "rol", "ror", "sla", "sra"], (op) => `function "${op}" (arg : ${vector}; count : integer) return ${vector};`)}
function resize (arg : ${vector}; new_size : natural) return ${vector};
function resize (arg : ${vector}; size_res : ${vector}) return ${vector};
function to_integer (arg : ${vector}) return ${number};
function find_leftmost (arg : ${vector}; y : ${element}) return integer;
function find_rightmost (arg : ${vector}; y : ${element}) return integer;
${
  isBit
    ? ""
    : `function std_match (l, r : ${vector}) return boolean;
${all(["to_01", "to_x01", "to_x01z", "to_ux01"], (fn) => `function ${fn} (s : ${vector}${fn === "to_01" ? "; xmap : std_ulogic := '0'" : ""}) return ${vector};`)}
function is_x (s : ${vector}) return boolean;`
}
function to_string (value : ${vector}) return string;
function to_hstring (value : ${vector}) return string;
function to_ostring (value : ${vector}) return string;
${lineProcedures([vector], vector)}`;
  return `package ${name} is
${
  isBit
    ? kinds.map(([kind]) => `type ${kind} is array (natural range <>) of bit;`).join("\n")
    : `type unresolved_unsigned is array (natural range <>) of std_ulogic;
type unresolved_signed is array (natural range <>) of std_ulogic;
alias u_unsigned is unresolved_unsigned;
alias u_signed is unresolved_signed;
subtype unsigned is (resolved) unresolved_unsigned;
subtype signed is (resolved) unresolved_signed;`
}
${kinds.map(([vector, number]) => one(vector, number)).join("\n")}
function "abs" (arg : signed) return signed;
function "-" (arg : signed) return signed;
function to_unsigned (arg, size : natural) return unsigned;
function to_unsigned (arg : natural; size_res : unsigned) return unsigned;
function to_signed (arg : integer; size : natural) return signed;
function to_signed (arg : integer; size_res : signed) return signed;
${
  isBit
    ? ""
    : `function std_match (l, r : std_ulogic) return boolean;
function std_match (l, r : std_ulogic_vector) return boolean;`
}
end package;
`;
}

const context = "library ieee; use ieee.std_logic_1164.all;\n";
const numericStdText = context + numericText("numeric_std", "std_ulogic", false);
const numericBitText = numericText("numeric_bit", "bit", true);

/** Vectors of plain logic as unsigned or as signed numbers (1076-2008 clause 16.9 for the first). */
function plainNumbers(name: string, number: string, target: string): string {
  const vector = "std_ulogic_vector";
  return `${context}use ieee.numeric_std.all;
package ${name} is
${all(["+", "-", "*", "/", "rem", "mod"], (op) => mixed(op, vector, number, vector))}
${all(["+", "-"], (op) => `function "${op}" (l : ${vector}; r : std_ulogic) return ${vector};\nfunction "${op}" (l : std_ulogic; r : ${vector}) return ${vector};`)}
${all(["=", "/=", "<", "<=", ">", ">="], (op) => mixed(op, vector, number, "boolean"))}
${all(["?=", "?/=", "?<", "?<=", "?>", "?>="], (op) => mixed(op, vector, number, "std_ulogic"))}
${all(["minimum", "maximum"], (op) => mixed(op, vector, number, vector).replaceAll('"', ""))}
${all(["shift_left", "shift_right", "rotate_left", "rotate_right"], (op) => `function ${op} (arg : ${vector}; count : natural) return ${vector};`)}
${all(["sla", "sra"], (op) => `function "${op}" (arg : ${vector}; count : integer) return ${vector};`)}
function resize (arg : ${vector}; new_size : natural) return ${vector};
function resize (arg, size_res : ${vector}) return ${vector};
function to_integer (arg : ${vector}) return ${number};
function find_leftmost (arg : ${vector}; y : std_ulogic) return integer;
function find_rightmost (arg : ${vector}; y : std_ulogic) return integer;
function to_stdlogicvector (arg : ${number}; size : natural) return std_logic_vector;
function to_stdulogicvector (arg : ${number}; size : natural) return std_ulogic_vector;
alias to_slv is to_stdlogicvector [${number}, natural return std_logic_vector];
alias to_std_logic_vector is to_stdlogicvector [${number}, natural return std_logic_vector];
${target === "signed" ? `function "abs" (arg : ${vector}) return ${vector};\nfunction "-" (arg : ${vector}) return ${vector};` : ""}
end package;
`;
}
const numericStdUnsignedText = plainNumbers("numeric_std_unsigned", "natural", "unsigned");
const numericStdSignedText = plainNumbers("numeric_std_signed", "integer", "signed");

const stdLogicTextioText = `${context}
package std_logic_textio is
alias read is ieee.std_logic_1164.read [std.textio.line, std_ulogic, boolean];
alias read is ieee.std_logic_1164.read [std.textio.line, std_ulogic];
alias read is ieee.std_logic_1164.read [std.textio.line, std_ulogic_vector, boolean];
alias read is ieee.std_logic_1164.read [std.textio.line, std_ulogic_vector];
alias write is ieee.std_logic_1164.write [std.textio.line, std_ulogic, std.textio.side, std.textio.width];
alias write is ieee.std_logic_1164.write [std.textio.line, std_ulogic_vector, std.textio.side, std.textio.width];
${["h", "o"]
  .map(
    (base) => `alias ${base}read is ieee.std_logic_1164.${base}read [std.textio.line, std_ulogic_vector, boolean];
alias ${base}read is ieee.std_logic_1164.${base}read [std.textio.line, std_ulogic_vector];
alias ${base}write is ieee.std_logic_1164.${base}write [std.textio.line, std_ulogic_vector, std.textio.side, std.textio.width];`,
  )
  .join("\n")}
end package;
`;

// ---- the widespread set of before numeric_std -------------------------------------------------------------------

const vectors = ["unsigned", "signed"];
const arithOperands = (op: string): [string, string][] => [
  ["unsigned", "unsigned"],
  ["signed", "signed"],
  ["unsigned", "signed"],
  ["signed", "unsigned"],
  ["unsigned", "integer"],
  ["integer", "unsigned"],
  ["signed", "integer"],
  ["integer", "signed"],
  ...(op === "+" || op === "-"
    ? ([
        ["unsigned", "std_ulogic"],
        ["std_ulogic", "unsigned"],
        ["signed", "std_ulogic"],
        ["std_ulogic", "signed"],
      ] as [string, string][])
    : []),
];

const stdLogicArithText = `${context}
package std_logic_arith is
type unsigned is array (natural range <>) of std_logic;
type signed is array (natural range <>) of std_logic;
subtype small_int is integer range 0 to 1;
${all(["+", "-", "*"], (op) =>
  arithOperands(op)
    .filter(([l, r]) => op !== "*" || (l !== "integer" && r !== "integer"))
    .map(([l, r]) => {
      const result = l === "signed" || r === "signed" ? "signed" : "unsigned";
      return `function "${op}" (l : ${l}; r : ${r}) return ${result};
function "${op}" (l : ${l}; r : ${r}) return std_logic_vector;`;
    })
    .join("\n"),
)}
${all(["<", "<=", ">", ">=", "=", "/="], (op) =>
  arithOperands(op)
    .map(([l, r]) => `function "${op}" (l : ${l}; r : ${r}) return boolean;`)
    .join("\n"),
)}
${vectors
  .map(
    (vector) => `function "+" (l : ${vector}) return ${vector};
function "+" (l : ${vector}) return std_logic_vector;
function shl (arg : ${vector}; count : unsigned) return ${vector};
function shr (arg : ${vector}; count : unsigned) return ${vector};`,
  )
  .join("\n")}
function "-" (l : signed) return signed;
function "-" (l : signed) return std_logic_vector;
function "abs" (l : signed) return signed;
function "abs" (l : signed) return std_logic_vector;
${["integer", "unsigned", "signed", "std_ulogic"]
  .map(
    (type) => `function conv_integer (arg : ${type}) return integer;
function conv_unsigned (arg : ${type}; size : integer) return unsigned;
function conv_signed (arg : ${type}; size : integer) return signed;
function conv_std_logic_vector (arg : ${type}; size : integer) return std_logic_vector;`,
  )
  .join("\n")}
function ext (arg : std_logic_vector; size : integer) return std_logic_vector;
function sxt (arg : std_logic_vector; size : integer) return std_logic_vector;
end package;
`;

function arithVectors(name: string, isSigned: boolean): string {
  const vector = "std_logic_vector";
  return `${context}
package ${name} is
${all(["+", "-"], (op) =>
  [
    [vector, vector],
    [vector, "integer"],
    ["integer", vector],
    [vector, "std_ulogic"],
    ["std_ulogic", vector],
  ]
    .map(([l, r]) => `function "${op}" (l : ${l}; r : ${r}) return ${vector};`)
    .join("\n"),
)}
function "*" (l, r : ${vector}) return ${vector};
function "+" (l : ${vector}) return ${vector};
${isSigned ? `function "-" (l : ${vector}) return ${vector};\nfunction "abs" (l : ${vector}) return ${vector};` : ""}
${all(["<", "<=", ">", ">=", "=", "/="], (op) => mixed(op, vector, "integer", "boolean"))}
function shl (arg : ${vector}; count : ${vector}) return ${vector};
function shr (arg : ${vector}; count : ${vector}) return ${vector};
function conv_integer (arg : ${vector}) return integer;
end package;
`;
}
const stdLogicUnsignedText = arithVectors("std_logic_unsigned", false);
const stdLogicSignedText = arithVectors("std_logic_signed", true);

const unary =
  "sign ceil floor round trunc sqrt cbrt exp log log2 log10 sin cos tan arcsin arccos sinh cosh tanh arcsinh arccosh arctanh";

/** IEEE 1076-2008 clause 16.6. */
const mathRealText = `package math_real is
constant math_e : real := 2.71828182845904523536;
constant math_1_over_e : real := 0.36787944117144232160;
constant math_pi : real := 3.14159265358979323846;
constant math_2_pi : real := 6.28318530717958647693;
constant math_1_over_pi : real := 0.31830988618379067154;
constant math_pi_over_2 : real := 1.57079632679489661923;
constant math_pi_over_3 : real := 1.04719755119659774615;
constant math_pi_over_4 : real := 0.78539816339744830962;
constant math_3_pi_over_2 : real := 4.71238898038468985769;
constant math_log_of_2 : real := 0.69314718055994530942;
constant math_log_of_10 : real := 2.30258509299404568402;
constant math_log2_of_e : real := 1.44269504088896340736;
constant math_log10_of_e : real := 0.43429448190325182765;
constant math_sqrt_2 : real := 1.41421356237309504880;
constant math_1_over_sqrt_2 : real := 0.70710678118654752440;
constant math_sqrt_pi : real := 1.77245385090551602730;
constant math_deg_to_rad : real := 0.01745329251994329577;
constant math_rad_to_deg : real := 57.29577951308232087680;
${unary
  .split(" ")
  .map((name) => `function ${name} (x : in real) return real;`)
  .join("\n")}
function "mod" (x, y : in real) return real;
function realmax (x, y : in real) return real;
function realmin (x, y : in real) return real;
procedure uniform (variable seed1, seed2 : inout positive; variable x : out real);
function "**" (x : in integer; y : in real) return real;
function "**" (x : in real; y : in real) return real;
function log (x : in real; base : in real) return real;
function arctan (y : in real) return real;
function arctan (y : in real; x : in real) return real;
end package;
`;

/** IEEE 1076-2008 clause 16.10. */
const contextsText = `context ieee_std_context is
library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
end context;
context ieee_bit_context is
library ieee; use ieee.numeric_bit.all;
end context;
`;

export const libraryTexts: { readonly [library: string]: { readonly [unit: string]: string } } = {
  ieee: {
    std_logic_1164: stdLogic1164Text,
    numeric_std: numericStdText,
    numeric_bit: numericBitText,
    numeric_std_unsigned: numericStdUnsignedText,
    numeric_std_signed: numericStdSignedText,
    math_real: mathRealText,
    std_logic_textio: stdLogicTextioText,
    std_logic_arith: stdLogicArithText,
    std_logic_unsigned: stdLogicUnsignedText,
    std_logic_signed: stdLogicSignedText,
    contexts: contextsText,
    fixed_float_types: fixedFloatTypesText,
    fixed_generic_pkg: fixedGenericText,
    fixed_pkg: fixedText,
  },
};
