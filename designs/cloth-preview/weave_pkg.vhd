-- Weaves and what belongs to them: a pattern has one bit for each warp thread and pick.

library ieee;
use ieee.std_logic_1164.all;

package weave_pkg is
  constant THREADS : positive := 4; -- shown side by side, one a digit
  constant PICKS   : positive := 8; -- shown above each other, one a segment

  type weave is (plain, twill, satin, herringbone);
  subtype pick_row is std_logic_vector(THREADS - 1 downto 0);
  type pattern is array (0 to PICKS - 1) of pick_row;

  -- The rows of a weave, from the first pick on.
  function rows_of(kind : weave) return pattern;
end package;

package body weave_pkg is
  function rows_of(kind : weave) return pattern is
    variable rows : pattern := (others => (others => '0'));
    variable up   : natural;
  begin
    for pick in rows'range loop
      case kind is
        when plain =>
          for thread in 0 to THREADS - 1 loop
            if (pick + thread) mod 2 = 0 then
              rows(pick)(thread) := '1';
            end if;
          end loop;
        when twill =>
          rows(pick)(pick mod THREADS) := '1';
          rows(pick)((pick + 1) mod THREADS) := '1';
        when satin =>
          rows(pick)((3 * pick) mod THREADS) := '1';
        when herringbone =>
          if pick < PICKS / 2 then
            up := pick;
          else
            up := PICKS - 1 - pick;
          end if;
          rows(pick)(up mod THREADS) := '1';
      end case;
    end loop;
    return rows;
  end function;
end package body;
