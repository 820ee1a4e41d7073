-- Walks once around in both directions, stops, and lights all lamps.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity tb_lamp_test is
end entity;

architecture sim of tb_lamp_test is
  constant PERIOD : time := 10 ns;
  signal clk      : std_logic := '0';
  signal switches : std_logic_vector(1 downto 0) := "00";
  signal button   : std_logic := '0';
  signal lamps    : std_logic_vector(6 downto 0);
  signal done     : boolean := false;

  function lit(place : natural) return std_logic_vector is
    variable v : std_logic_vector(6 downto 0) := (others => '0');
  begin
    v(place mod 7) := '1';
    return v;
  end function;
begin
  clk <= not clk after PERIOD / 2 when not done else '0';

  dut : entity work.lamp_test
    generic map (DIVIDER_BITS => 2)
    port map (clk => clk, switches => switches, button => button, lamps => lamps);

  check : process
  begin
    wait until falling_edge(clk);
    for i in 0 to 7 loop
      assert lamps = lit(i) report "lamp " & integer'image(i mod 7) & " is due, shown is " & to_string(lamps) severity error;
      wait for 4 * PERIOD;
    end loop;
    report "forward: one lamp after the other";

    switches(0) <= '1';
    for i in 8 downto 3 loop
      assert lamps = lit(i) report "backward, lamp " & integer'image(i mod 7) & " is due, shown is " & to_string(lamps) severity error;
      wait for 4 * PERIOD;
    end loop;
    report "backward: and back again";

    switches(1) <= '1';
    wait for 20 * PERIOD;
    assert lamps = lit(2) report "it does not stand still" severity error;
    button <= '1';
    wait for 4 * PERIOD;
    assert lamps = "1111111" report "not all lamps are lit" severity error;
    report "stopped, and all lamps lit";
    done <= true;
    wait;
  end process;
end architecture;
