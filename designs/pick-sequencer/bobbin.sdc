# The oscillator of the Bobbin board runs at up to 50 MHz.
create_clock -name clk -period 20.000 [get_ports clk]
