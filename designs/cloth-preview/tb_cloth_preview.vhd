-- Weaves eight picks of each kind and looks at the window of each thread.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;
use work.weave_pkg.all;

entity tb_cloth_preview is
end entity;

architecture sim of tb_cloth_preview is
  signal clk      : std_logic := '0';
  signal switches : std_logic_vector(2 downto 0) := "000";
  signal lamps    : std_logic_vector(3 downto 0);
  signal digit_on : std_logic_vector(3 downto 0);
  signal segment  : std_logic_vector(7 downto 0);
  signal done     : boolean := false;
begin
  clk <= not clk after 5 ns when not done else '0';

  dut : entity work.cloth_preview
    generic map (PICK_BITS => 3, SCAN_BITS => 1)
    port map (clk => clk, switches => switches, lamps => lamps, digit_on => digit_on, segment => segment);

  check : process
    variable rows   : pattern;
    variable column : std_logic_vector(7 downto 0);
  begin
    for kind in weave loop
      switches(1 downto 0) <= std_logic_vector(to_unsigned(weave'pos(kind), 2));
      -- two rounds, so that the window holds this weave alone
      for pick in 1 to 16 loop
        for cycle in 1 to 8 loop
          wait until rising_edge(clk);
        end loop;
      end loop;
      switches(2) <= '1';
      rows := rows_of(kind);
      for thread in 0 to THREADS - 1 loop
        wait until falling_edge(clk) and digit_on(thread) = '1';
        column := segment;
        for pick in rows'range loop
          assert column(PICKS - 1 - pick) = rows(pick)(thread)
            report weave'image(kind) & ": thread " & integer'image(thread) & ", pick " & integer'image(pick)
            severity error;
        end loop;
      end loop;
      report weave'image(kind) & " is shown as it is woven";
      wait until rising_edge(clk);
      switches(2) <= '0';
    end loop;
    done <= true;
    wait;
  end process;
end architecture;
