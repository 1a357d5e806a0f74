%
O0001
(gouge: the inside corner is rounder than the nose: radius 0.5 under a nose of 0.8)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0101
G50 S3000
G96 S180 M3
M8
G0 X46. Z3.
G42 G1 X36. Z2. F0.25
Z-19.5
G2 X37. Z-20. R0.5
G1 X44.
G40 X48.
M9
G0 X220. Z150.
M5
M30
%
