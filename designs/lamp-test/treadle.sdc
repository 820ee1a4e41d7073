# The oscillator of the Treadle board runs at up to 25 MHz.
create_clock -name clk -period 40.000 [get_ports clk]
