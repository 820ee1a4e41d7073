/** Short designs in which every line counts. Each is the unit `dut`. */

const head = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;\n";

export const everydayVerilog: readonly string[] = [
  `module dut(input clk, rst, en, up, input [5:0] load, input set, output reg [5:0] count, output zero, output reg wrapped);
assign zero = count == 0;
always @(posedge clk) begin
  wrapped <= 0;
  if (rst) count <= 9;
  else if (set) count <= load;
  else if (en) begin
    if (up) begin count <= count + 1; wrapped <= count == 63; end
    else begin count <= count - 1; wrapped <= count == 0; end
  end
end
endmodule`,
  `module dut(input clk, rst, input [7:0] d, input push, pop, output [7:0] head, output full, empty, output [2:0] level);
reg [7:0] store [0:3]; reg [1:0] first, last; reg [2:0] n;
assign full = n == 4; assign empty = n == 0; assign head = store[first]; assign level = n;
always @(posedge clk)
  if (rst) begin first <= 0; last <= 0; n <= 0; end
  else begin
    if (push && !full) begin store[last] <= d; last <= last + 1; end
    if (pop && !empty) first <= first + 1;
    if (push && !full && !(pop && !empty)) n <= n + 1;
    else if (pop && !empty && !(push && !full)) n <= n - 1;
  end
endmodule`,
  `module dut(input [7:0] a, input [2:0] by, input [1:0] how, output reg [7:0] y, output reg [3:0] ones, output reg [2:0] top, output reg any);
integer i;
always @* begin
  case (how) 0: y = a << by; 1: y = a >> by; 2: y = $signed(a) >>> by; default: y = (a << by) | (a >> (8 - by)); endcase
  ones = 0; for (i = 0; i < 8; i = i + 1) ones = ones + a[i];
  top = 0; any = 0;
  for (i = 7; i >= 0; i = i - 1) if (a[i] && !any) begin top = i; any = 1; end
end
endmodule`,
  `module dut(input clk, rst, go, stop, input [3:0] steps, output reg busy, output reg [3:0] left, output reg [1:0] phase);
localparam REST = 0, RUN = 1, HOLD = 2, END = 3;
reg [1:0] state;
always @(posedge clk or posedge rst)
  if (rst) begin state <= REST; left <= 0; end
  else case (state)
    REST: if (go) begin left <= steps; state <= RUN; end
    RUN: if (stop) state <= HOLD; else if (left == 0) state <= END; else left <= left - 1;
    HOLD: if (!stop) state <= RUN;
    default: state <= REST;
  endcase
always @* begin busy = state == RUN || state == HOLD; phase = state ^ 2; end
endmodule`,
  `module dut(input clk, rst, input signed [5:0] a, b, input [1:0] op, output reg signed [6:0] y, output reg [4:0] acc, output less, equal);
function signed [6:0] limited(input signed [7:0] v); begin
  if (v > 40) limited = 40; else if (v < -40) limited = -40; else limited = v; end endfunction
assign less = a < b; assign equal = a == b;
always @(posedge clk) if (rst) begin y <= 0; acc <= 1; end else begin
  case (op) 0: y <= limited(a + b); 1: y <= limited(a - b); 2: y <= a & ~b; default: y <= less ? a : b; endcase
  acc <= {acc[3:0], acc[4] ^ acc[2] ^ a[0]};
end
endmodule`,
  `module part #(parameter STEP = 1) (input clk, rst, input [3:0] d, output reg [3:0] q); always @(posedge clk) if (rst) q <= STEP; else q <= q + d + STEP; endmodule
module dut(input clk, rst, input [3:0] d, output [3:0] y0, y1, output [7:0] z);
part u0(clk, rst, d, y0); part #(.STEP(3)) u1(.clk(clk), .rst(rst), .d(y0), .q(y1));
genvar g; generate for (g = 0; g < 4; g = g + 1) begin : lane assign z[2 * g +: 2] = {y0[g] ^ d[3 - g], y1[g] & d[g]}; end endgenerate
endmodule`,
];

export const everydayVhdl: readonly string[] = [
  `${head}entity dut is port (clk, rst, en : in std_logic; d : in std_logic_vector(5 downto 0); q : out std_logic_vector(5 downto 0); f : out std_logic); end entity;
architecture rtl of dut is begin process (clk) variable x : unsigned(5 downto 0); variable n : natural range 0 to 11; begin if rising_edge(clk) then
f <= '0';
if rst = '1' then x := "000101"; n := 0;
elsif en = '1' then x := unsigned(d) + x; if n = 11 then n := 0; f <= '1'; else n := n + 1; end if; end if;
q <= std_logic_vector(x + n); end if; end process; end architecture;`,
  `${head}entity dut is port (a : in std_logic_vector(7 downto 0); k : in std_logic_vector(1 downto 0); y : out std_logic_vector(3 downto 0); z : out std_logic_vector(7 downto 0); p : out std_logic); end entity;
architecture rtl of dut is
function first(v : std_logic_vector) return natural is begin for i in v'range loop if v(i) = '1' then return i; end if; end loop; return 0; end function;
begin process (all) variable n : natural range 0 to 8; variable t : std_logic_vector(7 downto 0); begin
n := 0; for i in a'range loop next when a(i) = '0'; n := n + 1; exit when n = 5; end loop;
y <= std_logic_vector(to_unsigned(n + first(a(7 downto 4)), 4));
t := (others => '0'); t(to_integer(unsigned(k)) + 2) := '1'; t(1 downto 0) := a(1 downto 0) xor k;
z <= t; p <= xor a; end process; end architecture;`,
  `${head}entity dut is port (clk, rst, go, stop : in std_logic; steps : in std_logic_vector(3 downto 0); busy : out std_logic; left : out std_logic_vector(3 downto 0)); end entity;
architecture rtl of dut is type state_t is (rest, run, hold, done); signal state : state_t; signal n : unsigned(3 downto 0); begin
process (clk, rst) begin if rst = '1' then state <= rest; n <= "0000"; elsif rising_edge(clk) then case state is
when rest => if go = '1' then n <= unsigned(steps); state <= run; end if;
when run => if stop = '1' then state <= hold; elsif n = 0 then state <= done; else n <= n - 1; end if;
when hold => if stop = '0' then state <= run; end if;
when others => state <= rest; end case; end if; end process;
busy <= '1' when state = run or state = hold else '0'; left <= std_logic_vector(n); end architecture;`,
  `${head}package shapes is type pair is record lo, hi : unsigned(3 downto 0); ok : std_logic; end record; type pairs is array (0 to 3) of pair;
function swapped(v : pair) return pair is begin return (lo => v.hi, hi => v.lo, ok => not v.ok); end function; end package;
${head}use work.shapes.all; entity dut is port (clk, rst, we : in std_logic; a : in std_logic_vector(1 downto 0); d : in std_logic_vector(7 downto 0); q : out std_logic_vector(7 downto 0); ok : out std_logic); end entity;
architecture rtl of dut is signal list : pairs; begin process (clk) variable v : pair; begin if rising_edge(clk) then
if rst = '1' then list <= (others => (lo => "0001", hi => "1000", ok => '0'));
elsif we = '1' then list(to_integer(unsigned(a))) <= (unsigned(d(3 downto 0)), unsigned(d(7 downto 4)), d(0) and d(7)); end if;
v := swapped(list(to_integer(unsigned(a)))); if v.ok = '1' then v.lo := v.lo + 1; end if;
q <= std_logic_vector(v.hi & v.lo); ok <= v.ok; end if; end process; end architecture;`,
  `${head}entity part is generic (step : natural := 1); port (clk, rst : in std_logic; d : in unsigned(3 downto 0); q : out unsigned(3 downto 0)); end entity;
architecture rtl of part is signal r : unsigned(3 downto 0); impure function more return unsigned is begin return r + step; end function; begin
process (clk) begin if rising_edge(clk) then if rst = '1' then r <= to_unsigned(step, 4); else r <= more + d; end if; end if; end process; q <= r; end architecture;
${head}entity dut is port (clk, rst : in std_logic; d : in std_logic_vector(3 downto 0); y : out std_logic_vector(7 downto 0); z : out std_logic_vector(3 downto 0)); end entity;
architecture rtl of dut is signal a, b : unsigned(3 downto 0); begin
u0 : entity work.part port map (clk, rst, unsigned(d), a); u1 : entity work.part generic map (step => 3) port map (clk => clk, rst => rst, d => a, q => b);
y <= std_logic_vector(a) & std_logic_vector(b); lanes : for i in 0 to 3 generate z(i) <= a(i) xor d(3 - i) when b(i) = '1' else d(i); end generate; end architecture;`,
  `${head}entity dut is port (clk : in std_logic; a, b : in std_logic_vector(4 downto 0); op : in std_logic_vector(1 downto 0); y : out std_logic_vector(5 downto 0); less : out std_logic; m : out std_logic_vector(4 downto 0)); end entity;
architecture rtl of dut is begin process (clk) variable v : signed(6 downto 0); variable i : integer range -16 to 15; begin if rising_edge(clk) then
i := to_integer(signed(a));
case op is when "00" => v := resize(signed(a), 7) + signed(b); when "01" => v := resize(signed(a), 7) - signed(b); when "10" => v := to_signed(abs i, 7); when others => v := to_signed(i mod 5, 7); end case;
if v > 12 then v := to_signed(12, 7); elsif v < -12 then v := to_signed(-12, 7); end if;
y <= std_logic_vector(v(5 downto 0)); less <= '1' when signed(a) < signed(b) else '0'; m <= std_logic_vector(rotate_left(unsigned(a), to_integer(unsigned(op)))); end if; end process; end architecture;`,
];
