%
O0001
(chuck-open: the chuck opens while the spindle still turns)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0101
G50 S3000
G96 S180 M3
M8
G0 X46. Z3.
X36.
G1 Z-20. F0.25
X41.
G0 X46. Z3.
M9
G0 X220. Z150.
M11
G4 P1000
M10
M5
M30
%
