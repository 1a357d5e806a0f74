%
O0001
(shank-contact: the bar is taken off the wall so far that its back touches the other side)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0707
G97 S800 M3
M8
G0 X0. Z3.
G1 Z-30. F0.15
G0 Z3.
G0 X220. Z150.
T0808
G50 S3000
G96 S180 M3
M8
G0 X12.4 Z2.
G1 Z-20. F0.1
X11.
G0 X9.
Z3.
M9
G0 X220. Z150.
M5
M30
%
