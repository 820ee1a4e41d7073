/** Packages of library `std` (IEEE 1076-2008 clause 16). Functions without a body are computed by the runtime. */

const controls =
  "nul soh stx etx eot enq ack bel bs ht lf vt ff cr so si dle dc1 dc2 dc3 dc4 nak syn etb can em sub esc fsp gsp rsp usp".split(
    " ",
  );
const characters = Array.from({ length: 256 }, (_, code) => {
  if (code < 32) return controls[code];
  if (code === 127) return "del";
  if (code >= 128 && code < 160) return `c${code}`;
  return `'${String.fromCharCode(code)}'`;
});

const stringable = ["boolean", "bit", "character", "severity_level", "integer", "real", "time"];

export const standardText = `package standard is
type boolean is (false, true);
type bit is ('0', '1');
type character is (${characters.join(", ")});
type severity_level is (note, warning, error, failure);
type integer is range -2147483648 to 2147483647;
type real is range -1.7976931348623157e308 to 1.7976931348623157e308;
type time is range -999999999999999868928 to 999999999999999868928 units
fs; ps = 1000 fs; ns = 1000 ps; us = 1000 ns; ms = 1000 us; sec = 1000 ms; min = 60 sec; hr = 60 min;
end units;
subtype delay_length is time range 0 fs to time'high;
impure function now return delay_length;
subtype natural is integer range 0 to integer'high;
subtype positive is integer range 1 to integer'high;
type string is array (positive range <>) of character;
type boolean_vector is array (natural range <>) of boolean;
type bit_vector is array (natural range <>) of bit;
type integer_vector is array (natural range <>) of integer;
type real_vector is array (natural range <>) of real;
type time_vector is array (natural range <>) of time;
type file_open_kind is (read_mode, write_mode, append_mode);
type file_open_status is (open_ok, status_error, name_error, mode_error);
attribute foreign : string;
function rising_edge (signal s : bit) return boolean;
function falling_edge (signal s : bit) return boolean;
function rising_edge (signal s : boolean) return boolean;
function falling_edge (signal s : boolean) return boolean;
${stringable.map((type) => `function to_string (value : ${type}) return string;`).join("\n")}
function to_string (value : time; unit : time) return string;
function to_string (value : real; digits : natural) return string;
function to_string (value : real; format : string) return string;
function to_string (value : bit_vector) return string;
function to_hstring (value : bit_vector) return string;
function to_ostring (value : bit_vector) return string;
alias to_bstring is to_string [bit_vector return string];
alias to_binary_string is to_string [bit_vector return string];
alias to_hex_string is to_hstring [bit_vector return string];
alias to_octal_string is to_ostring [bit_vector return string];
end package;
`;

const readable = ["bit", "bit_vector", "boolean", "character", "integer", "real", "string", "time"];

export const textioText = `package textio is
type line is access string;
type text is file of string;
type side is (right, left);
subtype width is natural;
file input : text open read_mode is "STD_INPUT";
file output : text open write_mode is "STD_OUTPUT";
function justify (value : string; justified : side := right; field : width := 0) return string;
procedure readline (file f : text; l : inout line);
procedure writeline (file f : text; l : inout line);
procedure tee (file f : text; l : inout line);
${readable
  .map(
    (type) => `procedure read (l : inout line; value : out ${type}; good : out boolean);
procedure read (l : inout line; value : out ${type});`,
  )
  .join("\n")}
procedure sread (l : inout line; value : out string; strlen : out natural);
alias string_read is sread [line, string, natural];
${readable
  .filter((type) => type !== "real" && type !== "time")
  .map(
    (type) =>
      `procedure write (l : inout line; value : in ${type}; justified : in side := right; field : in width := 0);`,
  )
  .join("\n")}
procedure write (l : inout line; value : in real; justified : in side := right; field : in width := 0; digits : in natural := 0);
procedure write (l : inout line; value : in real; format : in string);
procedure write (l : inout line; value : in time; justified : in side := right; field : in width := 0; unit : in time := ns);
procedure swrite (l : inout line; value : in string; justified : in side := right; field : in width := 0);
alias string_write is swrite [line, string, side, width];
${["o", "h"]
  .map(
    (base) => `procedure ${base}read (l : inout line; value : out bit_vector; good : out boolean);
procedure ${base}read (l : inout line; value : out bit_vector);
procedure ${base}write (l : inout line; value : in bit_vector; justified : in side := right; field : in width := 0);`,
  )
  .join("\n")}
alias bread is read [line, bit_vector, boolean];
alias bread is read [line, bit_vector];
alias bwrite is write [line, bit_vector, side, width];
end package;
`;

export const envText = `package env is
procedure stop (status : integer);
procedure stop;
procedure finish (status : integer);
procedure finish;
function resolution_limit return delay_length;
end package;
`;
