/**
 * Fixed-point numbers (IEEE 1076-2008 clause 16.10): declarations as the standard lists them, bodies of our own over
 * numeric_std. A result is the exact one, rounded and fitted once: everything is worked out on whole numbers of the
 * weight of the lowest bit.
 */

const all = (names: readonly string[], text: (name: string) => string): string => names.map(text).join("\n");

export const fixedFloatTypesText = `package fixed_float_types is
type fixed_round_style_type is (fixed_truncate, fixed_round);
type fixed_overflow_style_type is (fixed_wrap, fixed_saturate);
type round_type is (round_nearest, round_inf, round_neginf, round_zero);
end package;
`;

/** A function or procedure with its head and its body. */
interface Routine {
  readonly head: string;
  readonly body: string;
}
const fn = (head: string, body: string): Routine => ({ head, body });
/** `function name (args) return type` with a body that is one expression. */
const short = (name: string, args: string, type: string, value: string): Routine =>
  fn(`function ${name} (${args}) return ${type}`, `begin\nreturn ${value};\nend`);

const styles =
  "constant overflow_style : fixed_overflow_style_type := fixed_overflow_style; constant round_style : fixed_round_style_type := fixed_round_style";
const guarded =
  "constant round_style : fixed_round_style_type := fixed_round_style; constant guard_bits : natural := fixed_guard_bits";
const wrap = "fixed_wrap, round_style";

const logical = ["and", "nand", "or", "nor", "xor", "xnor"];
const orders = ["=", "/=", "<", "<=", ">", ">="];

/** What both kinds have alike. `u`: "ufixed" or "sfixed"; `n`: "unsigned" or "signed". */
function kind(u: string, n: string, whole: string): Routine[] {
  const isSigned = u === "sfixed";
  const v = `unresolved_${u}`;
  const list: Routine[] = [];
  const isNothing = "l'length < 1 or r'length < 1";
  const nothing = `n${u}`;

  // bits as a whole number of the weight 2**low, and back
  list.push(
    fn(
      `function bits_of (arg : ${v}) return ${n}`,
      `variable v : ${n}(arg'length - 1 downto 0);
begin
for i in v'range loop v(i) := arg(arg'low + i); end loop;
return v;
end`,
    ),
    fn(
      `function ${u}_of (arg : ${n}; low : integer) return ${v}`,
      `alias x : ${n}(arg'length - 1 downto 0) is arg;
variable v : ${v}(low + arg'length - 1 downto low);
begin
for i in x'range loop v(low + i) := x(i); end loop;
return v;
end`,
    ),
    // weights below \`low\` are rounded away, wider or narrower than it was
    fn(
      `function scaled (arg : ${v}; low : integer; extra : natural) return ${n}`,
      `variable v : ${n}(maximum(arg'high, low) - minimum(arg'low, low) + extra downto 0);
begin
v := shift_left(resize(bits_of(arg), v'length), maximum(arg'low - low, 0));
return v;
end`,
    ),
    fn(
      `function fitted (arg : ${v}; left_index, right_index : integer; overflow_style : fixed_overflow_style_type; round_style : fixed_round_style_type) return ${v}`,
      `constant low : integer := minimum(arg'low, right_index);
constant size : positive := maximum(maximum(arg'high, left_index), right_index) - low + 3;
constant count : positive := left_index - right_index + 1;
constant cut : natural := right_index - low;
variable v : ${n}(size - 1 downto 0);
variable kept : ${n}(size - cut - 1 downto 0);
variable half, rest : std_ulogic := '0';
variable result : ${n}(count - 1 downto 0);
variable over : std_ulogic := '0';
begin
v := shift_left(resize(bits_of(arg), size), arg'low - low);
kept := v(size - 1 downto cut);
if round_style = fixed_round and cut > 0 then
half := v(cut - 1);
for i in 0 to cut - 2 loop rest := rest or v(i); end loop;
if (half and (rest or kept(0))) = '1' then kept := kept + 1; end if;
end if;
result := kept(count - 1 downto 0);
if overflow_style = fixed_saturate then
${
  isSigned
    ? `for i in count to kept'high loop over := over or (kept(i) xor kept(count - 1)); end loop;
if over = '1' then
result := (others => not kept(kept'high));
result(count - 1) := kept(kept'high);
end if;`
    : `for i in count to kept'high loop over := over or kept(i); end loop;
if over = '1' then result := (others => '1'); end if;`
}
end if;
if is_x(arg) then result := (others => 'X'); end if;
return ${u}_of(result, right_index);
end`,
    ),
    fn(
      `function resize (arg : ${v}; constant left_index, right_index : integer; ${styles}) return ${v}`,
      `begin
if arg'length < 1 or left_index < right_index then return ${nothing}; end if;
return fitted(arg, left_index, right_index, overflow_style, round_style);
end`,
    ),
    short(
      "resize",
      `arg : ${v}; size_res : ${v}; ${styles}`,
      v,
      "resize(arg, size_res'high, size_res'low, overflow_style, round_style)",
    ),
  );

  // bounds of results
  const high = isSigned
    ? `when '+' | '-' => return maximum(left_index, left_index2) + 1;
when '*' => return left_index + left_index2 + 1;
when '/' => return left_index - right_index2 + 1;
when '1' => return -right_index + 1;
when 'R' | 'r' => return minimum(left_index, left_index2);
when 'M' | 'm' => return left_index2;
when 'A' | 'a' | 'N' | 'n' => return left_index + 1;`
    : `when '+' | '-' => return maximum(left_index, left_index2) + 1;
when '*' => return left_index + left_index2 + 1;
when '/' => return left_index - right_index2;
when '1' => return -right_index;
when 'R' | 'r' | 'M' | 'm' => return minimum(left_index, left_index2);`;
  const low = `when '+' | '-' => return minimum(right_index, right_index2);
when '*' => return right_index + right_index2;
when '/' => return right_index - left_index2${isSigned ? "" : " - 1"};
when '1' => return -left_index${isSigned ? "" : " - 1"};
when 'R' | 'r' | 'M' | 'm' => return minimum(right_index, right_index2);`;
  const five =
    "left_index, right_index : integer; operation : character := 'X'; left_index2, right_index2 : integer := 0";
  for (const [name, ways, other] of [
    [`${u}_high`, high, "left_index"],
    [`${u}_low`, low, "right_index"],
  ])
    list.push(
      fn(
        `function ${name} (${five}) return integer`,
        `begin\ncase operation is\n${ways}\nwhen others => return ${other};\nend case;\nend`,
      ),
      short(
        name,
        `size_res : ${v}; operation : character := 'X'; size_res2 : ${v}`,
        "integer",
        `${name}(size_res'high, size_res'low, operation, size_res2'high, size_res2'low)`,
      ),
    );

  // sums and differences: the bounds hold whatever comes
  for (const op of ["+", "-"])
    list.push(
      fn(
        `function "${op}" (l, r : ${v}) return ${v}`,
        `constant low : integer := minimum(l'low, r'low);
constant size : integer := maximum(l'high, r'high) - low + 2;
begin
if ${isNothing} then return ${nothing}; end if;
return ${u}_of(shift_left(resize(bits_of(l), size), l'low - low) ${op} shift_left(resize(bits_of(r), size), r'low - low), low);
end`,
      ),
    );
  list.push(
    fn(
      `function "*" (l, r : ${v}) return ${v}`,
      `begin
if ${isNothing} then return ${nothing}; end if;
return ${u}_of(bits_of(l) * bits_of(r), l'low + r'low);
end`,
    ),
    // the quotient has so many bits more than the result, and is rounded to it
    fn(
      `function divide (l, r : ${v}; ${guarded}) return ${v}`,
      `constant low : integer := ${u}_low(l'high, l'low, '/', r'high, r'low);
constant up : integer := maximum(l'low - r'low - low + guard_bits, 0);
constant size : positive := l'length + up + 1;
begin
if ${isNothing} then return ${nothing}; end if;
return resize(${u}_of(shift_left(resize(bits_of(l), size), up) / bits_of(r), l'low - up - r'low),
${u}_high(l'high, l'low, '/', r'high, r'low), low, ${wrap.replace("fixed_wrap", isSigned ? "fixed_saturate" : "fixed_wrap")});
end`,
    ),
    short(`"/"`, `l, r : ${v}`, v, "divide(l, r)"),
    fn(
      `function reciprocal (arg : ${v}; ${guarded}) return ${v}`,
      `constant one : ${v}(${isSigned ? 1 : 0} downto 0) := (0 => '1', others => '0');
begin
if arg'length < 1 then return ${nothing}; end if;
return resize(divide(one, arg, round_style, guard_bits + maximum(arg'high, 0) + 1), ${u}_high(arg'high, arg'low, '1'), ${u}_low(arg'high, arg'low, '1'), fixed_saturate, round_style);
end`,
    ),
  );
  for (const [name, op, letter] of [
    ["remainder", "rem", "R"],
    ["modulo", "mod", "M"],
  ]) {
    const style =
      isSigned && op === "mod" ? "constant overflow_style : fixed_overflow_style_type := fixed_overflow_style; " : "";
    list.push(
      fn(
        `function ${name} (l, r : ${v}; ${style}${guarded}) return ${v}`,
        `constant low : integer := minimum(l'low, r'low);
constant size : integer := maximum(l'high, r'high) - low + 2;
begin
if ${isNothing} then return ${nothing}; end if;
return resize(${u}_of(shift_left(resize(bits_of(l), size), l'low - low) ${op} shift_left(resize(bits_of(r), size), r'low - low), low),
${u}_high(l'high, l'low, '${letter}', r'high, r'low), ${u}_low(l'high, l'low, '${letter}', r'high, r'low), ${style ? "overflow_style" : "fixed_saturate"}, round_style);
end`,
      ),
      short(`"${op}"`, `l, r : ${v}`, v, `${name}(l, r)`),
    );
  }
  list.push(
    fn(
      `procedure add_carry (l, r : in ${v}; c_in : in std_ulogic; result : out ${v}; c_out : out std_ulogic)`,
      `constant low : integer := minimum(l'low, r'low);
constant high : integer := maximum(l'high, r'high);
constant size : integer := high - low + 2;
variable sum : ${n}(size - 1 downto 0);
variable carry : ${n}(1 downto 0) := (others => '0');
begin
carry(0) := c_in;
sum := shift_left(resize(bits_of(l), size), l'low - low) + shift_left(resize(bits_of(r), size), r'low - low) + resize(carry, size);
result := ${u}_of(sum(size - 2 downto 0), low);
c_out := sum(size - 1);
end`,
    ),
    fn(
      `function scalb (y : ${v}; n : integer) return ${v}`,
      `begin
if y'length < 1 then return ${nothing}; end if;
return ${u}_of(bits_of(y), y'low + n);
end`,
    ),
    short("scalb", `y : ${v}; n : unresolved_signed`, v, "scalb(y, to_integer(n))"),
    fn(
      `function find_leftmost (arg : ${v}; y : std_ulogic) return integer`,
      `begin
for i in arg'high downto arg'low loop
if arg(i) ?= y then return i; end if;
end loop;
return arg'low - 1;
end`,
    ),
    fn(
      `function find_rightmost (arg : ${v}; y : std_ulogic) return integer`,
      `begin
for i in arg'low to arg'high loop
if arg(i) ?= y then return i; end if;
end loop;
return arg'high + 1;
end`,
    ),
  );

  // numbers on either side: reals take the other operand's bounds, whole numbers its high one and 0
  for (const op of ["+", "-", "*", "/", "rem", "mod"])
    for (const [type, make] of [
      ["real", `to_${u}(@, $'high, $'low)`],
      [whole, `to_${u}(@, maximum($'high, 0), 0)`],
    ]) {
      const made = (value: string, like: string) => make.replace("@", value).replaceAll("$", like);
      list.push(
        short(`"${op}"`, `l : ${v}; r : ${type}`, v, `l ${op} ${made("r", "l")}`),
        short(`"${op}"`, `l : ${type}; r : ${v}`, v, `${made("l", "r")} ${op} r`),
      );
    }
  // comparisons of what both are worth
  const same = (op: string) => `scaled(l, minimum(l'low, r'low), 1) ${op} scaled(r, minimum(l'low, r'low), 1)`;
  for (const op of orders) {
    list.push(short(`"${op}"`, `l, r : ${v}`, "boolean", same(op)));
    list.push(short(`"?${op}"`, `l, r : ${v}`, "std_ulogic", same(`?${op}`)));
    for (const [type, high] of [
      ["real", ""],
      [whole, ""],
    ]) {
      const made = (value: string, like: string) =>
        type === "real"
          ? `to_${u}(${value}, maximum(${like}'high, 31)${high}, ${like}'low)`
          : `to_${u}(${value}, 31, 0)`;
      list.push(
        short(`"${op}"`, `l : ${v}; r : ${type}`, "boolean", `l ${op} ${made("r", "l")}`),
        short(`"${op}"`, `l : ${type}; r : ${v}`, "boolean", `${made("l", "r")} ${op} r`),
        short(`"?${op}"`, `l : ${v}; r : ${type}`, "std_ulogic", `l ?${op} ${made("r", "l")}`),
        short(`"?${op}"`, `l : ${type}; r : ${v}`, "std_ulogic", `${made("l", "r")} ?${op} r`),
      );
    }
  }
  for (const [name, op] of [
    ["maximum", ">"],
    ["minimum", "<"],
  ]) {
    list.push(
      fn(
        `function ${name} (l, r : ${v}) return ${v}`,
        `constant high : integer := maximum(l'high, r'high);
constant low : integer := minimum(l'low, r'low);
begin
if ${isNothing} then return ${nothing}; end if;
if l ${op} r then return resize(l, high, low); end if;
return resize(r, high, low);
end`,
      ),
    );
    for (const [type, make] of [
      ["real", `to_${u}(@, $'high, $'low)`],
      [whole, `to_${u}(@, maximum($'high, 0), 0)`],
    ])
      list.push(
        short(name, `l : ${v}; r : ${type}`, v, `${name}(l, ${make.replace("@", "r").replaceAll("$", "l")})`),
        short(name, `l : ${type}; r : ${v}`, v, `${name}(${make.replace("@", "l").replaceAll("$", "r")}, r)`),
      );
  }
  list.push(
    short(
      "std_match",
      `l, r : ${v}`,
      "boolean",
      "l'high = r'high and l'low = r'low and std_match(bits_of(l), bits_of(r))",
    ),
  );

  // shifts keep the bounds
  const shift = (name: string, count: string, inner: string) =>
    fn(
      `function ${name} (arg : ${v}; count : ${count}) return ${v}`,
      `begin
if arg'length < 1 then return ${nothing}; end if;
return ${u}_of(${inner}, arg'low);
end`,
    );
  for (const op of ["sll", "srl", "rol", "ror", "sla", "sra"]) {
    const inner =
      op === "sla"
        ? `bits_of(arg) sla count`
        : op === "sra"
          ? "bits_of(arg) sra count"
          : `${n}(unsigned(bits_of(arg)) ${op} count)`;
    list.push(shift(`"${op}"`, "integer", inner));
  }
  list.push(shift("shift_left", "natural", "shift_left(bits_of(arg), count)"));
  list.push(shift("shift_right", "natural", "shift_right(bits_of(arg), count)"));

  // bit by bit
  list.push(short(`"not"`, `l : ${v}`, v, `${u}_of(not bits_of(l), l'low)`));
  for (const op of logical)
    list.push(
      short(`"${op}"`, `l, r : ${v}`, v, `${u}_of(bits_of(l) ${op} bits_of(r), l'low)`),
      short(`"${op}"`, `l : std_ulogic; r : ${v}`, v, `${u}_of(l ${op} bits_of(r), r'low)`),
      short(`"${op}"`, `l : ${v}; r : std_ulogic`, v, `${u}_of(bits_of(l) ${op} r, l'low)`),
      short(`"${op}"`, `l : ${v}`, "std_ulogic", `${op} bits_of(l)`),
    );

  // levels
  for (const name of ["to_01", "to_x01", "to_x01z", "to_ux01"]) {
    const more = name === "to_01" ? "; constant xmap : std_ulogic := '0'" : "";
    list.push(short(name, `arg : ${v}${more}`, v, `${u}_of(${name}(bits_of(arg)${more ? ", xmap" : ""}), arg'low)`));
  }
  list.push(short("is_x", `arg : ${v}`, "boolean", "is_x(bits_of(arg))"));

  // from and to other types
  const bounded = "constant left_index : integer; constant right_index : integer := 0";
  const to = `to_${u}`;
  list.push(
    fn(
      `function ${to} (arg : ${whole}; ${bounded}; ${styles}) return ${v}`,
      `begin
if left_index < right_index then return ${nothing}; end if;
return fitted(${u}_of(to_${n}(arg, 32), 0), left_index, right_index, overflow_style, round_style);
end`,
    ),
    short(
      to,
      `arg : ${whole}; size_res : ${v}; ${styles}`,
      v,
      `${to}(arg, size_res'high, size_res'low, overflow_style, round_style)`,
    ),
    // the magnitude in bits down to the guard bits; what lies below them is cut off
    fn(
      `function ${to} (arg : real; ${bounded}; ${styles}; constant guard_bits : natural := fixed_guard_bits) return ${v}`,
      `constant low : integer := right_index - guard_bits;
constant top : integer := left_index + 2;
variable v : ${n}(top - low downto 0) := (others => '0');
variable rest, weight : real;
begin
if left_index < right_index then return ${nothing}; end if;
rest := abs arg;
${isSigned ? "" : "if arg < 0.0 then rest := 0.0; end if;\n"}if rest >= 2.0 ** (left_index + 1) then
if overflow_style = fixed_saturate then
rest := 2.0 ** (left_index + 1);
else
rest := rest - floor(rest / 2.0 ** (left_index + 1)) * 2.0 ** (left_index + 1);
end if;
end if;
for i in top - low - 1 downto 0 loop
weight := 2.0 ** (i + low);
if rest >= weight then
v(i) := '1';
rest := rest - weight;
end if;
end loop;
${isSigned ? "if arg < 0.0 then v := -v; end if;\n" : ""}return fitted(${u}_of(v, low), left_index, right_index, overflow_style, round_style);
end`,
    ),
    short(
      to,
      `arg : real; size_res : ${v}; ${styles}; constant guard_bits : natural := fixed_guard_bits`,
      v,
      `${to}(arg, size_res'high, size_res'low, overflow_style, round_style, guard_bits)`,
    ),
    short(to, `arg : unresolved_${n}`, v, `${u}_of(arg, 0)`),
    short(
      to,
      `arg : unresolved_${n}; ${bounded}; ${styles}`,
      v,
      `resize(${u}_of(arg, 0), left_index, right_index, overflow_style, round_style)`,
    ),
    short(
      to,
      `arg : unresolved_${n}; size_res : ${v}; ${styles}`,
      v,
      `resize(${u}_of(arg, 0), size_res'high, size_res'low, overflow_style, round_style)`,
    ),
    fn(
      `function ${to} (arg : std_ulogic_vector; constant left_index : integer; constant right_index : integer) return ${v}`,
      `begin
if left_index < right_index then return ${nothing}; end if;
assert arg'length = left_index - right_index + 1 report "${to}: the vector has not as many bits as the bounds" severity error;
return ${u}_of(resize(${n}(arg), left_index - right_index + 1), right_index);
end`,
    ),
    short(to, `arg : std_ulogic_vector; size_res : ${v}`, v, `${to}(arg, size_res'high, size_res'low)`),
    short(
      `to_${n}`,
      `arg : ${v}; constant size : natural; ${styles}`,
      `unresolved_${n}`,
      `bits_of(resize(arg, size - 1, 0, overflow_style, round_style))`,
    ),
    short(
      `to_${n}`,
      `arg : ${v}; size_res : unresolved_${n}; ${styles}`,
      `unresolved_${n}`,
      `to_${n}(arg, size_res'length, overflow_style, round_style)`,
    ),
    fn(
      `function to_real (arg : ${v}) return real`,
      `variable sum : real := 0.0;
begin
for i in arg'range loop
if to_x01(arg(i)) = '1' then
${isSigned ? "if i = arg'high then sum := sum - 2.0 ** i; else sum := sum + 2.0 ** i; end if;" : "sum := sum + 2.0 ** i;"}
end if;
end loop;
return sum;
end`,
    ),
    short(
      "to_integer",
      `arg : ${v}; ${styles}`,
      whole,
      `to_integer(bits_of(resize(arg, ${isSigned ? "31" : "30"}, 0, overflow_style, round_style)))`,
    ),
    short("to_slv", `arg : ${v}`, "std_logic_vector", "std_logic_vector(bits_of(arg))"),
    short("to_sulv", `arg : ${v}`, "std_ulogic_vector", "std_ulogic_vector(bits_of(arg))"),
    short("to_stdlogicvector", `arg : ${v}`, "std_logic_vector", "std_logic_vector(bits_of(arg))"),
    short("to_std_logic_vector", `arg : ${v}`, "std_logic_vector", "std_logic_vector(bits_of(arg))"),
    short("to_stdulogicvector", `arg : ${v}`, "std_ulogic_vector", "std_ulogic_vector(bits_of(arg))"),
    short("to_std_ulogic_vector", `arg : ${v}`, "std_ulogic_vector", "std_ulogic_vector(bits_of(arg))"),
    fn(
      `function saturate (constant left_index, right_index : integer) return ${v}`,
      isSigned
        ? `variable v : ${v}(left_index downto right_index) := (others => '1');
begin
v(left_index) := '0';
return v;
end`
        : `constant v : ${v}(left_index downto right_index) := (others => '1');
begin
return v;
end`,
    ),
    short("saturate", `size_res : ${v}`, v, "saturate(size_res'high, size_res'low)"),
  );

  // as text: a point between the weights 0 and -1
  list.push(
    fn(
      `function to_string (arg : ${v}) return string`,
      `constant wide : ${v}(maximum(arg'high, 0) downto minimum(arg'low, -1)) := resize(arg, maximum(arg'high, 0), minimum(arg'low, -1));
begin
if arg'length < 1 then return ""; end if;
return to_string(std_ulogic_vector(bits_of(wide(wide'high downto 0)))) & "." & to_string(std_ulogic_vector(bits_of(wide(-1 downto wide'low))));
end`,
    ),
  );
  for (const [letter, digit] of [
    ["o", 3],
    ["h", 4],
  ] as const)
    list.push(
      fn(
        `function to_${letter}string (arg : ${v}) return string`,
        `constant top : integer := ((maximum(arg'high, 0) + ${digit}) / ${digit}) * ${digit} - 1;
constant low : integer := -(((maximum(-arg'low, 1) + ${digit - 1}) / ${digit}) * ${digit});
constant wide : ${v}(top downto low) := resize(arg, top, low);
begin
if arg'length < 1 then return ""; end if;
return to_${letter}string(std_ulogic_vector(bits_of(wide(top downto 0)))) & "." & to_${letter}string(std_ulogic_vector(bits_of(wide(-1 downto low))));
end`,
      ),
    );
  list.push(
    short("to_bstring", `arg : ${v}`, "string", "to_string(arg)"),
    fn(
      `procedure write (l : inout line; value : in ${v}; justified : in side := right; field : in width := 0)`,
      `begin
write(l, to_string(value), justified, field);
end`,
    ),
    fn(
      `procedure owrite (l : inout line; value : in ${v}; justified : in side := right; field : in width := 0)`,
      `begin
write(l, to_ostring(value), justified, field);
end`,
    ),
    fn(
      `procedure hwrite (l : inout line; value : in ${v}; justified : in side := right; field : in width := 0)`,
      `begin
write(l, to_hstring(value), justified, field);
end`,
    ),
    fn(
      `procedure read (l : inout line; value : out ${v}; good : out boolean)`,
      `variable c : character;
variable ok : boolean;
variable v : ${v}(value'high downto value'low) := (others => '0');
variable i : integer := value'high;
begin
good := false;
loop
read(l, c, ok);
if not ok then return; end if;
exit when c /= ' ' and c /= ht;
end loop;
loop
case c is
when '_' | '.' => null;
when '0' => v(i) := '0'; i := i - 1;
when '1' => v(i) := '1'; i := i - 1;
when 'U' => v(i) := 'U'; i := i - 1;
when 'X' => v(i) := 'X'; i := i - 1;
when 'Z' => v(i) := 'Z'; i := i - 1;
when 'W' => v(i) := 'W'; i := i - 1;
when 'L' => v(i) := 'L'; i := i - 1;
when 'H' => v(i) := 'H'; i := i - 1;
when '-' => v(i) := '-'; i := i - 1;
when others => return;
end case;
exit when i < v'low;
read(l, c, ok);
if not ok then return; end if;
end loop;
value := v;
good := true;
end`,
    ),
    fn(
      `procedure read (l : inout line; value : out ${v})`,
      `variable ok : boolean;
begin
read(l, value, ok);
assert ok report "read: this is no ${u}" severity error;
end`,
    ),
    fn(
      `function from_string (bstring : string; constant left_index, right_index : integer) return ${v}`,
      `variable v : ${v}(left_index downto right_index) := (others => '0');
variable i : integer := left_index;
begin
for k in bstring'range loop
case bstring(k) is
when '_' | '.' => null;
when '0' | 'L' => i := i - 1;
when '1' | 'H' =>
assert i >= right_index report "from_string: the text has more bits than the bounds" severity error;
v(i) := '1'; i := i - 1;
when others =>
v(i) := 'X'; i := i - 1;
end case;
end loop;
assert i = right_index - 1 report "from_string: the text has not as many bits as the bounds" severity error;
return v;
end`,
    ),
    short("from_string", `bstring : string; size_res : ${v}`, v, "from_string(bstring, size_res'high, size_res'low)"),
  );
  return list;
}

/** What numbers with a sign have alone. */
const signedOnly: Routine[] = [
  fn(
    `function "abs" (arg : unresolved_sfixed) return unresolved_sfixed`,
    `begin
if arg'length < 1 then return nsfixed; end if;
return sfixed_of(abs resize(bits_of(arg), arg'length + 1), arg'low);
end`,
  ),
  fn(
    `function "-" (arg : unresolved_sfixed) return unresolved_sfixed`,
    `begin
if arg'length < 1 then return nsfixed; end if;
return sfixed_of(-resize(bits_of(arg), arg'length + 1), arg'low);
end`,
  ),
  short("is_negative", "arg : unresolved_sfixed", "boolean", "to_x01(arg(arg'high)) = '1'"),
  short("to_sfixed", "arg : unresolved_ufixed", "unresolved_sfixed", "sfixed_of(signed('0' & bits_of(arg)), arg'low)"),
];

const routines = [...kind("ufixed", "unsigned", "natural"), ...kind("sfixed", "signed", "integer"), ...signedOnly];
/** Not for users: they stand in the body alone. */
const isInner = ({ head }: Routine): boolean => /^function (bits_of|ufixed_of|sfixed_of|scaled|fitted) /.test(head);

export const fixedGenericText = `library ieee;
use std.textio.all;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;
use ieee.math_real.all;
use ieee.fixed_float_types.all;
package fixed_generic_pkg is
generic (
fixed_round_style : fixed_round_style_type := fixed_round;
fixed_overflow_style : fixed_overflow_style_type := fixed_saturate;
fixed_guard_bits : natural := 3;
no_warning : boolean := false);
type unresolved_ufixed is array (integer range <>) of std_ulogic;
type unresolved_sfixed is array (integer range <>) of std_ulogic;
alias u_ufixed is unresolved_ufixed;
alias u_sfixed is unresolved_sfixed;
subtype ufixed is (resolved) unresolved_ufixed;
subtype sfixed is (resolved) unresolved_sfixed;
${all(
  routines.filter((routine) => !isInner(routine)).map(({ head }) => head),
  (head) => `${head};`,
)}
${["ufixed", "sfixed"]
  .map(
    (u) => `alias to_binary_string is to_string [unresolved_${u} return string];
alias to_octal_string is to_ostring [unresolved_${u} return string];
alias to_hex_string is to_hstring [unresolved_${u} return string];
alias from_bstring is from_string [string, integer, integer return unresolved_${u}];
alias bwrite is write [line, unresolved_${u}, side, width];
alias bread is read [line, unresolved_${u}];
alias bread is read [line, unresolved_${u}, boolean];`,
  )
  .join("\n")}
end package;
package body fixed_generic_pkg is
constant nufixed : unresolved_ufixed(0 downto 1) := (others => '0');
constant nsfixed : unresolved_sfixed(0 downto 1) := (others => '0');
${all(
  routines.filter(isInner).map(({ head }) => head),
  (head) => `${head};`,
)}
${routines.map(({ head, body }) => `${head} is\n${body};`).join("\n")}
end package body;
`;

export const fixedText = `library ieee;
package fixed_pkg is new ieee.fixed_generic_pkg
generic map (
fixed_round_style => ieee.fixed_float_types.fixed_round,
fixed_overflow_style => ieee.fixed_float_types.fixed_saturate,
fixed_guard_bits => 3,
no_warning => false);
`;
