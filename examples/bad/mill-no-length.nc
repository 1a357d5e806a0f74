%
O0001
(missing-word: the tool's length is never taken up)
G21 G17 G90 G94
G40 G49 G80
G53 G0 Z0.
T2 M6
G54 G0 G90
S3000 M3
G0 X-10. Y30.
Z20.
M8
Z60.
G1 Z50. F400
G0 Z90.
M9
M5
G53 G0 Z0.
M30
%
