%
O0001
(thread-speed: a thread is cut under constant surface speed)
G21 G18 G40 G97 G99
G0 X220. Z150.
T0404
G50 S3000
G96 S180 M3
M8
G0 X44. Z6.
X39.5
G32 Z-20. F1.5
G0 X44.
Z6.
M9
G0 X220. Z150.
M5
M30
%
