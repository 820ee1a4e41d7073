-- Pattern memory: the rows of all weaves, one of them at each clock.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;
use work.weave_pkg.all;

entity pattern_memory is
  port (
    clk  : in  std_logic;
    kind : in  std_logic_vector(1 downto 0);
    pick : in  std_logic_vector(2 downto 0);
    row  : out std_logic_vector(THREADS - 1 downto 0)
  );
end entity;

architecture rtl of pattern_memory is
  type memory is array (weave) of pattern;
  constant WEAVES : memory := (
    plain       => rows_of(plain),
    twill       => rows_of(twill),
    satin       => rows_of(satin),
    herringbone => rows_of(herringbone)
  );
begin
  process (clk)
    variable chosen : pattern;
  begin
    if rising_edge(clk) then
      case kind is
        when "00"   => chosen := WEAVES(plain);
        when "01"   => chosen := WEAVES(twill);
        when "10"   => chosen := WEAVES(satin);
        when others => chosen := WEAVES(herringbone);
      end case;
      row <= chosen(to_integer(unsigned(pick)));
    end if;
  end process;
end architecture;
