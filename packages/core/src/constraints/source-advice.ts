import type { SourceSnippet } from "../common/finding.ts";

/** What to write in the source in the place of something that no rule can mend, in both languages. */

/** A name as a new one can be made of it. */
const plain = (name: string) => name.replace(/^.*[./]/, "").replace(/\W+/g, "_");

/** Registers behind a gate in their clock: the clock itself, with what closed the gate as their enable. */
export function enableForGate(clock: string, gates: readonly string[]): SourceSnippet[] {
  const own = plain(clock);
  const on = gates.map(plain);
  return [
    {
      language: "verilog",
      text: `// in place of the clock that ${on.join(" and ")} gates: registers keep what they hold while it is 0
always @(posedge ${own})
  if (${on.join(" && ")}) begin
    // the assignments as they are
  end
`,
    },
    {
      language: "vhdl",
      text: `-- in place of the clock that ${on.join(" and ")} gates: registers keep what they hold while it is '0'
process (${own})
begin
  if rising_edge(${own}) then
    if ${on.map((gate) => `${gate} = '1'`).join(" and ")} then
      -- the assignments as they are
    end if;
  end if;
end process;
`,
    },
  ];
}

/** A contact in the place of a clock: through two registers, and its change lets the others change. */
export function edgeOfContact(clock: string, contact: string): SourceSnippet[] {
  const [own, name] = [plain(clock), plain(contact)];
  return [
    {
      language: "verilog",
      text: `// ${name} taken into the clock ${own} by two registers; the third finds its rise
reg [2:0] ${name}_seen = 0;
always @(posedge ${own}) ${name}_seen <= {${name}_seen[1:0], ${name}};
wire ${name}_rises = ${name}_seen[1] & ~${name}_seen[2];

// in place of always @(posedge ${name})
always @(posedge ${own})
  if (${name}_rises) begin
    // the assignments as they are
  end
`,
    },
    {
      language: "vhdl",
      text: `-- ${name} taken into the clock ${own} by two registers; the third finds its rise
signal ${name}_seen : std_logic_vector(2 downto 0) := "000";
signal ${name}_rises : std_logic;

${name}_rises <= ${name}_seen(1) and not ${name}_seen(2);
-- in place of rising_edge(${name})
process (${own})
begin
  if rising_edge(${own}) then
    ${name}_seen <= ${name}_seen(1 downto 0) & ${name};
    if ${name}_rises = '1' then
      -- the assignments as they are
    end if;
  end if;
end process;
`,
    },
  ];
}

/** A clock that a register or logic makes: its rise as an enable of the clock that it is made of. */
export function enableForMade(clock: string, made: string): SourceSnippet[] {
  const [own, name] = [plain(clock), plain(made)];
  return [
    {
      language: "verilog",
      text: `// the rise of ${name}, for one period of ${own}
reg ${name}_before = 0;
always @(posedge ${own}) ${name}_before <= ${name};
wire ${name}_rises = ${name} & ~${name}_before;

// in place of always @(posedge ${name})
always @(posedge ${own})
  if (${name}_rises) begin
    // the assignments as they are
  end
`,
    },
    {
      language: "vhdl",
      text: `-- the rise of ${name}, for one period of ${own}
signal ${name}_before : std_logic := '0';

-- in place of rising_edge(${name})
process (${own})
begin
  if rising_edge(${own}) then
    ${name}_before <= ${name};
    if ${name} = '1' and ${name}_before = '0' then
      -- the assignments as they are
    end if;
  end if;
end process;
`,
    },
  ];
}
