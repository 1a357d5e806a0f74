%
O0001 (Golden)
G21 G17 G90 G94
G49
(1 Note two parts clamp twice)
(two parts clamp twice)
(2 Drill 2 x D6.8)
G53 G0 Z0.
T3 M6 (drill 6.8)
G54 G0 G90
S1300 M3
G0 X10. Y20.
G43 H3 Z20.
M8
Z2.
G1 Z-6. F170
G0 Z2.
Z-5.5
G1 Z-14.
G0 Z2.
Z-13.5
G1 Z-17.043
G0 Z2.
X30.
G1 Z-6.
G0 Z2.
Z-5.5
G1 Z-14.
G0 Z2.
Z-13.5
G1 Z-17.043
G0 Z2.
Z20.
(3 Pause oil the holes)
M9
M5
(oil the holes)
M0
(4 Tap 2 x M8)
M5
G53 G0 Z0.
T11 M6 (tap M8)
G54 G0 G90
S400 M3
G0 X10. Y20.
G43 H11 Z20.
M8
Z2.
G1 Z-11.75 F500
M4
Z2.
M3
G0 X30.
G1 Z-11.75
M4
Z2.
M3
G0 Z20.
(5 Ream 1 x D8)
M5
G53 G0 Z0.
T8 M6 (reamer 8)
G54 G0 G90
S300 M3
G0 X-20. Y30.
G43 H8 Z20.
M8
Z2.
G1 Z-5. F60
Z2.
G0 Z20.
M9
M5
G53 G0 Z0.
M30
%
