%
O0001
(rapid-in-stock: a rapid move goes through the bar)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0101
G50 S3000
G96 S180 M3
M8
G0 X46. Z3.
X36.
G0 Z-20.
G1 X41. F0.25
G0 X46. Z3.
M9
G0 X220. Z150.
M5
M30
%
