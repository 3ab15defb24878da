// A brass bell over water, swinging with the tide. Reads Frame (1 to 24) and Samples (rays of the camera's blur).
#version 3.7;
global_settings { assumed_gamma 1.0 }
#ifndef (Frame) #declare Frame = 1; #end
#ifndef (Samples) #declare Samples = 9; #end
#declare Swing = 25 * sin(2 * pi * Frame / 24);
camera {
  location <0, 1.8, -6> look_at <0, 1.2, 0> angle 42
  aperture 0.12 focal_point <0, 1.2, 0> blur_samples Samples variance 0 confidence 0.9
}
light_source { <4, 7, -5> rgb 1.2 area_light <1, 0, 0>, <0, 0, 1>, 3, 3 jitter }
sky_sphere { pigment { gradient y color_map { [0 rgb <0.8, 0.82, 0.85>] [1 rgb <0.35, 0.5, 0.75>] } } }
plane { y, 0 pigment { rgb <0.1, 0.25, 0.3> } finish { reflection 0.35 } normal { bumps 0.25 scale 0.4 translate Frame * 0.1 } }
union {
  lathe { cubic_spline 7, <0, 1.3>, <0.1, 1.2>, <0.35, 1.0>, <0.45, 0.6>, <0.6, 0.2>, <0.85, 0>, <0.9, -0.1> }
  sphere { <0, 0.05, 0>, 0.16 }
  pigment { rgb <0.9, 0.68, 0.3> } finish { metallic reflection { 0.4 metallic } specular 0.6 }
  rotate z * Swing translate y * 0.9
}
