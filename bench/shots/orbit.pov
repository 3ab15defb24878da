// A ball going round another over a mirror; Frame and Samples are declared from outside.
#version 3.7;
global_settings { assumed_gamma 1 }
#declare Turn = 2 * pi * Frame / 120;
camera {
  location <0, 2, -6>
  look_at <0, 0.6, 0>
  aperture 0.15
  blur_samples Samples
  focal_point <0, 0.6, 0>
  variance 0
}
light_source { <4, 6, -4> color rgb 1 area_light <1, 0, 0>, <0, 1, 0>, 3, 3 }
plane { y, 0 pigment { checker color rgb 0.2 color rgb 0.7 } finish { reflection 0.15 + 0.1 * sin(Turn) } }
sphere { <0, 0.8, 0>, 0.8 pigment { color rgb <0.7, 0.5, 0.2> } finish { reflection 0.4 specular 0.6 } }
sphere { <2 * cos(Turn), 0.4, 2 * sin(Turn)>, 0.4 pigment { color rgb <0.2, 0.4, 0.7> } finish { reflection 0.3 } }
