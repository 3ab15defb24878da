// A shelf of brass weights, then, from frame 61 of 120, the shop window behind glass: a cut. Reads Frame.
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 8 }
#ifndef (Frame) #declare Frame = 1; #end
#declare Second = (Frame > 60);
#declare T = Frame / 120;
light_source { <4, 8, -5> rgb 1.1 area_light <1.5, 0, 0>, <0, 0, 1.5>, 4, 4 jitter }
sky_sphere { pigment { gradient y color_map { [0 rgb <0.8, 0.82, 0.85>] [1 rgb <0.35, 0.5, 0.75>] } } }
plane { y, 0 pigment { checker rgb 0.35, rgb 0.55 } finish { reflection 0.1 } }
#if (Second)
  camera { location <3 * sin(2 * T), 1.6, -6> look_at <0, 1, 0> angle 48 }
  #declare I = 0;
  #while (I < 9)
    sphere { <-2.4 + 0.6 * I, 0.5 + 0.25 * sin(9 * T + I), mod(I, 3) * 0.8>, 0.45
      pigment { rgbt <0.9, 0.95, 1, 0.9> } finish { reflection 0.12 specular 0.5 } interior { ior 1.5 } }
    #declare I = I + 1;
  #end
#else
  camera { location <2 - 4 * T, 2.2, -6> look_at <0, 0.6, 0> angle 48 }
  #declare I = 0;
  #while (I < 7)
    cylinder { <-2.1 + 0.7 * I, 0, 0>, <-2.1 + 0.7 * I, 0.3 + 0.12 * I, 0>, 0.28
      pigment { rgb <0.85, 0.65, 0.3> } finish { reflection 0.15 specular 0.6 } }
    #declare I = I + 1;
  #end
#end
