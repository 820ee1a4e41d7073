# The oscillator of the Shuttle board runs at up to 100 MHz.
create_clock -name clk -period 10.000 [get_ports clk]
