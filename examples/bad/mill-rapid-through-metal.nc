%
O0001
(rapid-in-stock: a rapid move crosses the block below its top)
G21 G17 G90 G94
G40 G49 G80
G53 G0 Z0.
T2 M6
G54 G0 G90
S3000 M3
G0 X-10. Y30.
G43 H2 Z20.
M8
Z-3.
G0 X110.
Z20.
M9
M5
G53 G0 Z0.
M30
%
