// A lamp house at night; in six frames of 120 the fog is lit and must be traced through. Reads Frame.
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 6 }
#ifndef (Frame) #declare Frame = 1; #end
#declare Lit = (Frame = 17 | Frame = 18 | Frame = 49 | Frame = 77 | Frame = 78 | Frame = 104);
camera { location <0, 2, -7> look_at <0, 1.4, 0> angle 44 rotate y * (Frame * 0.3 - 18) }
light_source { <2.5, 4, -2> rgb #if (Lit) 2.2 #else 0.6 #end area_light <0.6, 0, 0>, <0, 0, 0.6>, 7, 7 jitter }
background { rgb <0.02, 0.03, 0.06> }
plane { y, 0 pigment { rgb <0.12, 0.16, 0.2> } finish { reflection 0.2 } normal { bumps 0.2 scale 0.5 } }
cone { <0, 0, 0>, 0.7, <0, 2.4, 0>, 0.4 pigment { checker rgb 0.8, rgb <0.7, 0.2, 0.15> scale 0.4 } }
sphere { <0, 2.65, 0>, 0.35 pigment { rgbt <1, 0.95, 0.8, 0.7> } finish { specular 0.6 reflection 0.1 } interior { ior 1.4 } }
#if (Lit)
  box { <1.2, 0.01, -1>, <2.6, 3.2, 1> hollow pigment { rgbt 1 }
    interior { media { scattering { 1, 0.06 extinction 0.6 } method 3 intervals 1 samples 2 } } }
#end
