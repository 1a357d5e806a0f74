%
O0001
(missing-word: nose radius compensation is never dropped)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0101
G50 S3000
G96 S180 M3
M8
G0 X46. Z3.
G42 G1 X36. Z2. F0.25
Z-20.
X44.
M9
G0 X220. Z150.
M5
M30
%
