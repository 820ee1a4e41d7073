-- Walks once around in both directions, stops, and lights all lamps.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity tb_lamp_test is
end entity;

architecture sim of tb_lamp_test is
  constant PERIOD : time := 10 ns;
  signal clk  : std_logic := '0';
  signal sw   : std_logic_vector(1 downto 0) := "00";
  signal btn  : std_logic := '0';
  signal lamp : std_logic_vector(7 downto 0);
  signal done : boolean := false;

  function lit(place : natural) return std_logic_vector is
    variable v : std_logic_vector(7 downto 0) := (others => '0');
  begin
    v(place mod 8) := '1';
    return v;
  end function;
begin
  clk <= not clk after PERIOD / 2 when not done else '0';

  dut : entity work.lamp_test
    generic map (DIVIDER_BITS => 2)
    port map (clk => clk, sw => sw, btn => btn, lamp => lamp);

  check : process
  begin
    wait until falling_edge(clk);
    for i in 0 to 8 loop
      assert lamp = lit(i) report "lamp " & integer'image(i mod 8) & " is due, shown is " & to_string(lamp) severity error;
      wait for 4 * PERIOD;
    end loop;
    report "forward: one lamp after the other";

    sw(0) <= '1';
    for i in 9 downto 3 loop
      assert lamp = lit(i) report "backward, lamp " & integer'image(i mod 8) & " is due, shown is " & to_string(lamp) severity error;
      wait for 4 * PERIOD;
    end loop;
    report "backward: and back again";

    sw(1) <= '1';
    wait for 20 * PERIOD;
    assert lamp = lit(2) report "it does not stand still" severity error;
    btn <= '1';
    wait for 4 * PERIOD;
    assert lamp = x"FF" report "not all lamps are lit" severity error;
    report "stopped, and all lamps lit";
    done <= true;
    wait;
  end process;
end architecture;
