-- A small processor that steps through a program
library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity cpu is
  port (clk, rst : in std_logic; result : out unsigned(15 downto 0); halted : out std_logic);
end entity;

architecture rtl of cpu is
  type words is array (natural range <>) of unsigned(15 downto 0);
  function program return words is
    variable rom : words(0 to 63) := (others => x"F000");
  begin
    rom(0) := "0100" & "001" & "000" & "000001";
    rom(1) := "0000" & "010" & "010" & "001" & "000";
    rom(2) := "0011" & "011" & "011" & "010" & "000";
    rom(3) := "0111" & "100" & "010" & "000000";
    rom(4) := "0000" & "101" & "101" & "100" & "000";
    rom(5) := "1000" & "000" & "010" & "011" & "000";
    rom(6) := "1010" & "000" & "101" & "000000";
    rom(7) := "1001" & "001" & "000" & unsigned(to_signed(-6, 6));
    return rom;
  end function;
  function filled return words is
    variable v : words(0 to 255);
  begin
    for i in v'range loop
      v(i) := to_unsigned(i * 3, 16);
    end loop;
    return v;
  end function;
  constant ROM : words(0 to 63) := program;
  signal regs : words(0 to 7) := (others => x"0000");
  signal ram  : words(0 to 255) := filled;
  signal pc   : unsigned(7 downto 0);
  signal op, a, b, y : unsigned(15 downto 0);
  signal we   : std_logic;
begin
  op <= ROM(to_integer(pc(5 downto 0)));
  a <= regs(to_integer(op(8 downto 6)));
  b <= regs(to_integer(op(5 downto 3)));
  process (op, a, b, ram)
  begin
    y <= (others => '0');
    we <= '1';
    case op(15 downto 12) is
      when x"0" => y <= a + b;
      when x"1" => y <= a - b;
      when x"2" => y <= a and b;
      when x"3" => y <= a xor b;
      when x"4" => y <= resize(op(5 downto 0), 16);
      when x"5" => y <= a + unsigned(resize(signed(op(5 downto 0)), 16));
      when x"6" => y <= shift_left(a, to_integer(b(3 downto 0)));
      when x"7" => y <= ram(to_integer(a(7 downto 0)));
      when others => we <= '0';
    end case;
  end process;
  process (clk)
  begin
    if rising_edge(clk) then
      if rst = '1' then
        pc <= x"00";
        result <= x"0000";
        halted <= '0';
      else
        pc <= pc + 1;
        if we = '1' then
          regs(to_integer(op(11 downto 9))) <= y;
        end if;
        case op(15 downto 12) is
          when x"8" => ram(to_integer(a(7 downto 0))) <= b;
          when x"9" =>
            if regs(to_integer(op(11 downto 9))) /= 0 then
              pc <= pc + unsigned(resize(signed(op(5 downto 0)), 8));
            end if;
          when x"A" => result <= a;
          when x"F" => halted <= '1';
          when others => null;
        end case;
      end if;
    end if;
  end process;
end architecture;

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity tb is
end entity;

architecture sim of tb is
  signal clk : std_logic := '0';
  signal rst : std_logic := '1';
  signal result : unsigned(15 downto 0);
  signal halted : std_logic;
begin
  clk <= not clk after 5 ns;
  dut : entity work.cpu port map (clk => clk, rst => rst, result => result, halted => halted);
  process
  begin
    wait for 22 ns;
    rst <= '0';
    for i in 1 to 500000 loop
      wait until rising_edge(clk);
    end loop;
    report to_hstring(result);
    std.env.finish;
  end process;
end architecture;
