%
O0001
(past-centre: the facing cut runs past the axis)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0101
G50 S3000
G96 S180 M3
M8
G0 X46. Z0.5
G1 X-6. F0.2
G0 Z3.
M9
G0 X220. Z150.
M5
M30
%
