// Bubbles gather in a tank: frame after frame there is more glass to trace. Reads Frame (1 to 120).
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 10 }
#ifndef (Frame) #declare Frame = 1; #end
camera { location <0, 1.5, -6> look_at <0, 1.1, 0> angle 45 }
light_source { <3, 7, -4> rgb 1.1 area_light <1, 0, 0>, <0, 0, 1>, 3, 3 jitter }
sky_sphere { pigment { gradient y color_map { [0 rgb <0.7, 0.8, 0.85>] [1 rgb <0.2, 0.4, 0.6>] } } }
plane { y, 0 pigment { checker rgb <0.3, 0.4, 0.4>, rgb <0.6, 0.65, 0.6> } }
#declare Many = floor(pow(Frame / 120, 1.5) * 40) + 2;
#declare Where = seed(11);
#declare I = 0;
#while (I < Many)
  #declare X = 4 * rand(Where) - 2;
  #declare Y = 2.2 * rand(Where);
  #declare Z = 3 * rand(Where) - 1;
  #declare R = 0.12 + 0.2 * rand(Where);
  sphere { <X, 0.2 + mod(Y + Frame * 0.004, 2.4), Z>, R
    pigment { rgbt <0.9, 1, 1, 0.92> } finish { reflection 0.08 specular 0.5 } interior { ior 1.33 } }
  #declare I = I + 1;
#end
