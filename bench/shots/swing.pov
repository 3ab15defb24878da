// A glass float swings in front of a brass grid: the frame's cost comes and goes with it. Reads Frame (1 to 120).
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 9 }
#ifndef (Frame) #declare Frame = 1; #end
#declare Away = 1.9 * sin(2 * pi * Frame / 37);
camera { location <0, 1.5, -4.5> look_at <0, 1.4, 0> angle 46 }
light_source { <3, 6, -5> rgb 1.1 area_light <1, 0, 0>, <0, 0, 1>, 4, 4 jitter }
sky_sphere { pigment { gradient y color_map { [0 rgb <0.85, 0.8, 0.7>] [1 rgb <0.4, 0.45, 0.55>] } } }
plane { y, 0 pigment { rgb 0.4 } finish { reflection 0.15 } }
#declare I = -4;
#while (I < 5)
  cylinder { <I * 0.5, 0, 1.5>, <I * 0.5, 3, 1.5>, 0.07 pigment { rgb <0.8, 0.6, 0.25> } finish { reflection 0.25 } }
  #declare I = I + 1;
#end
sphere { <Away, 1.3, -1.6 + 0.9 * abs(Away)>, 0.7 pigment { rgbt <0.9, 1, 0.95, 0.93> } finish { reflection 0.1 specular 0.7 }
  interior { ior 1.5 } }
sphere { <Away, 1.3, -1.6 + 0.9 * abs(Away)>, 0.5 pigment { rgbt <0.9, 0.95, 1, 0.9> } interior { ior 1.2 } }
