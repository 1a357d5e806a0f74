%
O0001
(depth-of-cut: one cut is deeper than the flutes are long)
G21 G17 G90 G94
G40 G49 G80
G53 G0 Z0.
T3 M6
G54 G0 G90
S3000 M3
G0 X-10. Y30.
G43 H3 Z20.
M8
Z-14.
G1 X110. F300
G0 Z20.
M9
M5
G53 G0 Z0.
M30
%
