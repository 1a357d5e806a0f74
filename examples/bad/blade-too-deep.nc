%
O0001
(shank-contact: the blade goes deeper than it is long)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0303
G50 S3000
G96 S180 M3
M8
G0 X46. Z-15.
G1 X10. F0.08
G0 X46.
Z3.
M9
G0 X220. Z150.
M5
M30
%
