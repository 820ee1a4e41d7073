-- A filter for the warp tension: 8 taps, signed
library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity fir is
  port (clk, rst : in std_logic; x : in signed(15 downto 0); y : out signed(31 downto 0));
end entity;

architecture rtl of fir is
  type samples is array (0 to 7) of signed(15 downto 0);
  type products is array (0 to 7) of signed(31 downto 0);
  signal d : samples;
  signal p : products;
  signal sum : signed(31 downto 0);
begin
  process (p)
    variable v : signed(31 downto 0);
  begin
    v := (others => '0');
    for i in p'range loop
      v := v + p(i);
    end loop;
    sum <= v;
  end process;
  process (clk)
  begin
    if rising_edge(clk) then
      if rst = '1' then
        d <= (others => (others => '0'));
        p <= (others => (others => '0'));
        y <= (others => '0');
      else
        d(0) <= x;
        for i in 1 to 7 loop
          d(i) <= d(i - 1);
        end loop;
        for i in 0 to 7 loop
          p(i) <= d(i) * to_signed(i * 37 - 90, 16);
        end loop;
        y <= sum;
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
  signal x : signed(15 downto 0) := (others => '0');
  signal y : signed(31 downto 0);
begin
  clk <= not clk after 5 ns;
  dut : entity work.fir port map (clk => clk, rst => rst, x => x, y => y);
  process (clk)
  begin
    if falling_edge(clk) then
      x <= signed(resize(unsigned(x) * 5, 16)) + 77;
    end if;
  end process;
  process
  begin
    wait for 22 ns;
    rst <= '0';
    for i in 1 to 500000 loop
      wait until rising_edge(clk);
    end loop;
    report integer'image(to_integer(y));
    std.env.finish;
  end process;
end architecture;
