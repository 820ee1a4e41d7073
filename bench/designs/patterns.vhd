-- 16 pattern generators and a running sum of them
library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity lfsr is
  generic (SEED : natural := 1);
  port (clk, rst, en : in std_logic; q : out unsigned(15 downto 0));
end entity;

architecture rtl of lfsr is
  signal r  : unsigned(15 downto 0);
  signal fb : std_logic;
begin
  fb <= r(15) xor r(13) xor r(12) xor r(10);
  process (clk)
  begin
    if rising_edge(clk) then
      if rst = '1' then
        r <= to_unsigned(SEED, 16);
      elsif en = '1' then
        r <= r(14 downto 0) & fb;
      end if;
    end if;
  end process;
  q <= r;
end architecture;

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity tb is
end entity;

architecture sim of tb is
  type words is array (0 to 15) of unsigned(15 downto 0);
  signal clk : std_logic := '0';
  signal rst : std_logic := '1';
  signal en  : std_logic_vector(15 downto 0) := x"FFFF";
  signal q   : words;
  signal acc, s : unsigned(15 downto 0);
begin
  clk <= not clk after 5 ns;
  g : for i in 0 to 15 generate
    u : entity work.lfsr generic map (SEED => i * 257 + 1) port map (clk => clk, rst => rst, en => en(i), q => q(i));
  end generate;
  process (q)
    variable v : unsigned(15 downto 0);
  begin
    v := (others => '0');
    for k in q'range loop
      v := v xor q(k);
    end loop;
    s <= v;
  end process;
  process (clk)
  begin
    if rising_edge(clk) then
      if rst = '1' then
        acc <= (others => '0');
      else
        acc <= acc + s;
      end if;
    end if;
  end process;
  process
  begin
    wait for 22 ns;
    rst <= '0';
    for i in 1 to 500000 loop
      wait until rising_edge(clk);
    end loop;
    report to_hstring(acc);
    std.env.finish;
  end process;
end architecture;
