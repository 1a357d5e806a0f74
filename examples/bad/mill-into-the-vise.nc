%
O0001
(fixture-contact: the path crosses a jaw below its top)
G21 G17 G90 G94
G40 G49 G80
G53 G0 Z0.
T2 M6
G54 G0 G90
S3000 M3
G0 X-10. Y30.
G43 H2 Z20.
M8
G0 X50. Y-40.
Z-25.
G1 Y-10. F400
G0 Z20.
M9
M5
G53 G0 Z0.
M30
%
