-- Lamp test of the operator panel: one lamp after the other lights, so that a dead one is seen.
-- Switch 0 turns the direction, switch 1 stops it; button 0 lights all lamps while it is held.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity lamp_test is
  generic (
    DIVIDER_BITS : positive := 22 -- clock cycles for each lamp, as a power of two
  );
  port (
    clk      : in  std_logic;
    switches : in  std_logic_vector(1 downto 0);
    button   : in  std_logic;
    lamps    : out std_logic_vector(6 downto 0)
  );
end entity;

architecture rtl of lamp_test is
  signal divider : unsigned(DIVIDER_BITS - 1 downto 0) := (others => '0');
  signal place   : natural range 0 to 6 := 0;
  signal hold    : std_logic_vector(1 downto 0) := "00";
begin
  -- contacts change at any time: two registers in a row let them settle
  settle : process (clk)
  begin
    if rising_edge(clk) then
      hold <= hold(0) & button;
    end if;
  end process;

  walk : process (clk)
  begin
    if rising_edge(clk) then
      if switches(1) = '0' then
        divider <= divider + 1;
        if divider = 2 ** DIVIDER_BITS - 1 then
          if switches(0) = '0' then
            place <= (place + 1) mod 7;
          else
            place <= (place + 6) mod 7;
          end if;
        end if;
      end if;
    end if;
  end process;

  show : process (place, hold)
  begin
    lamps <= (others => hold(1));
    lamps(place) <= '1';
  end process;
end architecture;
