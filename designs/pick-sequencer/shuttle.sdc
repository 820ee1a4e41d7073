# The oscillator of the Shuttle board runs at up to 100 MHz.
create_clock -name clk -period 10.000 [get_ports clk]

# Hands are slow, and so are eyes: what comes from the panel is synchronised, what goes there has no time to keep.
set_false_path -from [get_ports {switches buttons}]
set_false_path -to [get_ports {lamps digit_on segment}]
