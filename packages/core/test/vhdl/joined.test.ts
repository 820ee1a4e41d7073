import { describe, expect, it } from "vitest";
import { Random } from "../../src/common/random.ts";
import { recordAll, simulate, VcdSink } from "../../src/simulate/index.ts";

/**
 * Processes put together must give what each by itself gives. A design that forces a signal runs one process at a
 * time: the same design with a force that never happens is the reference.
 */
const head = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;\n";

function run(text: string, isExact: boolean, record: boolean) {
  const spare = isExact
    ? "never : process begin wait for 1 hr; spare <= force '1'; wait; end process;"
    : "never : process begin wait for 1 hr; spare <= '1'; wait; end process;";
  let printed = "";
  let dump = "";
  const sink = record ? new VcdSink((piece) => void (dump += piece)) : undefined;
  const { end, findings } = simulate(
    [{ name: "t.vhd", text: text.replace("-- spare", spare) }],
    { top: "tb", until: 1e-6, maxTurns: 100_000, record: record ? recordAll : null },
    { print: (piece) => void (printed += `${piece.time} ${piece.text}`), sink },
  );
  return { end, printed, dump, findings: findings.filter(({ severity }) => severity === "error") };
}
/** Reports by time; the standard leaves open which process of a delta cycle speaks first. */
const told = (printed: string): string[] => printed.split("\n").sort();
/** What each signal is from when on; the order within one time, and what comes back to the same value, do not count. */
function waves(dump: string): string[] {
  const last = new Map<string, string>();
  const list: string[] = [];
  let time = "";
  for (const line of dump.split("\n")) {
    if (line.startsWith("#")) time = line;
    const change = /^(b\S+ |[01xz])(\S+)$/i.exec(line);
    if (!change || last.get(change[2]) === change[1]) continue;
    last.set(change[2], change[1]);
    list.push(`${time} ${change[2]} ${change[1]}`);
  }
  return list.sort();
}
/** @returns Lines that were printed. */
function sameAlone(text: string): number {
  const exact = run(text, true, true);
  if (exact.end === "errors") throw new Error(`${exact.findings.map(({ message }) => message).join("\n")}\n${text}`);
  const joined = run(text, false, true);
  try {
    expect(told(joined.printed)).toEqual(told(exact.printed));
    expect(joined.end).toBe(exact.end);
    const [own, reference] = [waves(joined.dump), waves(exact.dump)];
    expect(reference.length).toBeGreaterThan(100);
    for (let i = 0; i < reference.length; i++) expect(own[i]).toBe(reference[i]);
    expect(own.length).toBe(reference.length);
    // what is recorded must not change what happens
    expect(run(text, false, false).printed).toBe(joined.printed);
  } catch (error) {
    throw new Error(`${text}\n${(error as Error).message}`);
  }
  return exact.printed.split("\n").length;
}

/** Random designs of registers, logic and those who look at them. */
class Design {
  private readonly decls: string[] = [];
  private readonly stmts: string[] = [];
  private readonly random: Random;
  /** Signals that may be read, by kind. */
  private readonly bits: string[] = ["clk", "rst", "slow"];
  private readonly words: string[] = [];
  /** Arrays of four words. */
  private readonly lists: string[] = [];
  private labels = 0;

  constructor(seed: number) {
    this.random = new Random(seed);
  }
  private pick<T>(list: readonly T[]): T {
    return list[this.random.below(list.length)];
  }
  private bit(depth: number): string {
    const { random } = this;
    if (depth === 0 || random.float() < 0.2)
      return random.float() < 0.5 ? this.pick(this.bits) : `${this.pick(this.words)}(${random.below(8)})`;
    if (random.float() < 0.2) return `not ${this.bit(0)}`;
    return `(${this.bit(depth - 1)} ${this.pick(["and", "or", "xor", "nand"])} ${this.bit(depth - 1)})`;
  }
  private word(depth: number): string {
    const { random } = this;
    if (depth === 0 || random.float() < 0.2) return this.pick(this.words);
    switch (random.below(this.lists.length ? 5 : 4)) {
      case 4:
        return `${this.pick(this.lists)}(to_integer(${this.pick(this.words)}(${random.below(6) + 1} downto 0)) mod 4)`;
      case 0:
        return `(${this.word(depth - 1)} + ${this.word(depth - 1)})`;
      case 1:
        return `(${this.pick(this.words)}(3 downto 0) & ${this.pick(this.words)}(7 downto 4))`;
      case 2:
        return `(${this.word(depth - 1)} xor ${this.word(depth - 1)})`;
      default:
        return `(not ${this.word(depth - 1)})`;
    }
  }
  private label(): string {
    return `p${this.labels++}`;
  }
  private newBit(): string {
    const name = `b${this.decls.length}`;
    this.decls.push(`signal ${name} : std_logic := '${this.random.below(2)}';`);
    return name;
  }
  private newWord(): string {
    const name = `w${this.decls.length}`;
    this.decls.push(`signal ${name} : unsigned(7 downto 0) := to_unsigned(${this.random.below(256)}, 8);`);
    return name;
  }

  private register(): void {
    const clock = this.pick(["clk", "clk", "clk", "slow", this.pick(this.bits)]);
    const edge = this.pick(["rising_edge", "falling_edge"]);
    const word = this.newWord();
    const bit = this.newBit();
    const label = this.label();
    const body = this.pick([
      `${word} <= ${this.word(2)}; ${bit} <= ${this.bit(2)};`,
      `${word} <= ${this.word(1)}; if ${this.bit(1)} = '1' then ${word}(4) <= ${this.bit(1)}; ${bit} <= not ${bit}; end if;`,
      `v := v + 1; ${word} <= v + ${word}; if v(0) = '1' then ${bit} <= '1'; else ${bit} <= '0'; end if;`,
      `for i in 0 to 7 loop ${word}(i) <= ${word}((i + 3) mod 8) xor ${this.bit(0)}; end loop; ${bit} <= ${word}(0);`,
      `${word}(3 downto 0) <= ${this.pick([...this.words, word])}(5 downto 2);`,
    ]);
    const decl = "variable v : unsigned(7 downto 0) := (others => '0');";
    const form = this.random.below(5);
    if (form === 0)
      this.stmts.push(
        `${label} : process (${clock}, rst) ${decl} begin if rst = '1' then ${word} <= (others => '0'); ${bit} <= '0'; elsif ${edge}(${clock}) then ${body} end if; end process;`,
      );
    else if (form === 1)
      this.stmts.push(`${label} : process ${decl} begin wait until ${edge}(${clock}); ${body} end process;`);
    else if (form === 2)
      this.stmts.push(
        `${label} : process (${clock}) ${decl} begin if ${clock}'event and ${clock} = '1' then if rst = '1' then ${word} <= x"a5"; else ${body} end if; end if; end process;`,
      );
    else
      this.stmts.push(
        `${label} : process (${clock}) ${decl} begin if ${edge}(${clock}) then ${body} end if; end process;`,
      );
    this.words.push(word);
    this.bits.push(bit);
  }
  private logic(): void {
    const word = this.newWord();
    const label = this.label();
    switch (this.random.below(8)) {
      case 0:
        this.stmts.push(`${word} <= ${this.word(3)};`);
        break;
      case 1:
        this.stmts.push(`${word} <= ${this.word(1)} when ${this.bit(2)} = '1' else ${this.word(1)};`);
        break;
      case 2:
        this.stmts.push(
          `${label} : process (all) variable t : unsigned(7 downto 0); begin t := ${this.word(2)}; ${word} <= t; case t(1 downto 0) is when "00" => ${word} <= ${this.word(1)}; when "01" => ${word}(2) <= ${this.bit(1)}; when others => null; end case; end process;`,
        );
        break;
      case 3: {
        // a ripple through the bits of one vector
        this.stmts.push(`${word}(0) <= ${this.bit(1)};`);
        this.stmts.push(
          `${label} : for i in 1 to 7 generate ${word}(i) <= ${word}(i - 1) xor ${this.pick(this.words)}(i); end generate;`,
        );
        break;
      }
      case 4: {
        const lo = this.random.below(7);
        this.stmts.push(`${word}(${lo} downto 0) <= ${this.pick(this.words)}(${lo} downto 0);`);
        this.stmts.push(
          `${label} : entity work.part port map (a => ${this.pick(this.words)}(7 downto ${lo + 1}), y => ${word}(7 downto ${lo + 1}));`,
        );
        break;
      }
      case 5:
        // not complete: it is no function of what it reads
        this.stmts.push(`${label} : process (${this.pick(this.words)}) begin ${word} <= ${this.word(2)}; end process;`);
        break;
      case 6:
        this.stmts.push(`${word} <= ${this.word(1)} after ${1 + this.random.below(3)} ns;`);
        break;
      default:
        // a loop that comes to rest
        this.stmts.push(`${word} <= ${this.word(1)} or (${word} and ${this.word(0)});`);
    }
    this.words.push(word);
    const bit = this.newBit();
    this.stmts.push(`${bit} <= ${this.bit(3)};`);
    this.bits.push(bit);
  }
  /** Bits of one vector, each driven by a process of its own. */
  private shared(): void {
    const word = this.newWord();
    const clocked = () =>
      this.pick([
        (target: string, value: string) =>
          `process (clk) begin if rising_edge(clk) then ${target} <= ${value}; end if; end process;`,
        (target: string, value: string) =>
          `process (clk, rst) begin if rst = '1' then ${target} <= ${this.pick(this.bits)}; elsif clk'event and clk = '0' then ${target} <= ${value}; end if; end process;`,
        (target: string, value: string) =>
          `process (clk, rst) begin if rst = '1' then ${target} <= '0'; elsif rising_edge(clk) then ${target} <= ${value}; end if; end process;`,
        (target: string, value: string) => `${target} <= ${value};`,
        (target: string, value: string) =>
          `process (all) begin ${target} <= ${value}; if ${this.bit(1)} = '1' then ${target} <= ${this.bit(0)}; end if; end process;`,
      ]);
    const label = this.label();
    this.stmts.push(
      `${label} : for i in 0 to 3 generate ${clocked()(`${word}(i)`, `${this.pick(this.words)}(i) xor ${this.bit(1)}`)} end generate;`,
    );
    this.stmts.push(clocked()(`${word}(4)`, this.bit(2)));
    this.stmts.push(
      `process (all) begin ${word}(5) <= ${this.bit(1)}; ${word}(7 downto 6) <= ${this.pick(this.words)}(1 downto 0); if ${this.bit(1)} = '1' then ${word}(7) <= ${this.bit(1)}; end if; end process;`,
    );
    this.words.push(word);
  }
  /** Elements of an array, by numbers that are known and those that are not. */
  private list(): void {
    const name = `m${this.decls.length}`;
    this.decls.push(`signal ${name} : words := (x"01", x"23", x"45", x"67");`);
    const at = () =>
      this.random.float() < 0.3 ? String(this.random.below(4)) : `to_integer(${this.pick(this.words)}(1 downto 0))`;
    const parts = [
      () => `${name}(${at()}) <= ${this.word(2)};`,
      () => `${name}(${at()})(${this.random.below(8)}) <= ${this.bit(1)};`,
      () => `${name}(${at()})(5 downto 2) <= ${this.pick(this.words)}(3 downto 0);`,
      () => `${name} <= (others => ${this.word(1)});`,
      () => `for i in 0 to 3 loop ${name}(i) <= ${name}((i + 1) mod 4); end loop;`,
      () => `if ${this.bit(1)} = '1' then ${name}(${at()}) <= ${this.word(1)}; end if;`,
    ];
    const label = this.label();
    const isLogic = this.random.float() < 0.3;
    const body = Array.from({ length: 1 + this.random.below(3) }, () =>
      this.pick(isLogic ? parts.filter((_, i) => i !== 4) : parts)(),
    ).join(" ");
    this.stmts.push(
      isLogic
        ? `${label} : process (all) begin ${name} <= (others => ${this.word(0)}); ${body} end process;`
        : `${label} : process (clk) begin if rising_edge(clk) then ${body} end if; end process;`,
    );
    this.lists.push(name);
  }
  private looker(): void {
    const word = this.pick(this.words);
    const bit = this.pick(this.bits.slice(-20));
    const label = this.label();
    this.stmts.push(
      this.pick([
        `${label} : process (${word}) begin report "${label} " & to_string(${word}); end process;`,
        `${label} : process begin wait until ${bit} = '1'; report "${label} " & to_string(${word}); end process;`,
        `${label} : process begin wait on ${word}, ${bit} for 7 ns; report "${label} " & to_string(${word}) & boolean'image(${bit}'event); end process;`,
        `${label} : process (clk) begin if falling_edge(clk) then report "${label} " & to_string(${word}) & to_string(${bit}); end if; end process;`,
        `${label} : process begin wait for 11 ns; wait until rising_edge(${bit}) for 30 ns; report "${label} " & to_string(${word}); end process;`,
      ]),
    );
  }

  text(): string {
    this.words.push(this.newWord());
    this.stmts.push(`${this.words[0]} <= ${this.words[0]} + 37 after 9 ns;`);
    const size = 2 + this.random.below(10);
    for (let i = 0; i < size; i++) {
      const kind = this.random.float();
      if (kind < 0.4) this.register();
      else if (kind < 0.55) this.list();
      else if (kind < 0.7) this.shared();
      else this.logic();
    }
    for (let i = this.random.below(4); i > 0; i--) this.looker();
    return `${head}entity part is port (a : in unsigned; y : out unsigned); end entity;
architecture rtl of part is begin y <= not a; end architecture;
${head}entity tb is end entity;
architecture sim of tb is
type words is array (0 to 3) of unsigned(7 downto 0);
signal clk, rst, slow, spare : std_logic := '0';
${this.decls.join("\n")}
begin
clk <= not clk after 5 ns;
rst <= '1', '0' after 22 ns, '1' after 300 ns, '0' after 301 ns;
process (clk) begin if rising_edge(clk) then slow <= not slow; end if; end process;
-- spare
${this.stmts.join("\n")}
process begin
for i in 1 to 40 loop wait for 13 ns; report ${[...this.words, ...this.lists.map((name) => `${name}(${this.random.below(4)})`)].map((name) => `to_string(${name})`).join(' & " " & ')}; end loop;
std.env.finish;
end process;
end architecture;
`;
  }
}

describe("processes that are put together", () => {
  it("do what each does by itself, in random designs", () => {
    let lines = 0;
    for (let seed = 1; seed <= 60; seed++) lines += sameAlone(new Design(seed).text());
    expect(lines).toBeGreaterThan(60 * 40);
  });
  it("elaborate their declarations once", () => {
    const lines = sameAlone(`${head}entity tb is end entity;
architecture sim of tb is
signal clk, spare : std_logic := '0';
signal a, b : natural;
shared variable count : natural := 0;
impure function number return natural is begin count := count + 1; return count; end function;
begin
clk <= not clk after 5 ns;
p : process (clk) variable id : natural := number; begin if rising_edge(clk) then a <= a + id; end if; end process;
q : process (clk) variable id : natural := number; begin if rising_edge(clk) then b <= b + id; end if; end process;
-- spare
process begin
for i in 1 to 60 loop wait for 10 ns; report integer'image(a) & " " & integer'image(b) & " " & integer'image(count); end loop;
std.env.finish;
end process;
end architecture;
`);
    expect(lines).toBe(61);
  });
});
