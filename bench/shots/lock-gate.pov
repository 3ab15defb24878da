// A gate that goes up and down over the whole width, in light that comes and goes. Reads Frame (1 to 260).
#version 3.7;
global_settings { assumed_gamma 1.0 }
#declare H = 1.6 + 1.5 * sin(Frame / 15);
#declare Light = min(1, min(Frame / 30, max(0, (230 - Frame) / 30)));
camera { location <0, 1.6, -6> look_at <0, 1.6, 0> angle 50 }
light_source { <3, 5, -6> rgb 1.1 * Light }
box { <-9, -1, 1>, <9, 6, 1.2> pigment { bozo color_map { [0 rgb <0.5, 0.45, 0.4>] [1 rgb <0.7, 0.66, 0.6>] } scale 0.15 } }
box { <-9, H, 0>, <9, H + 3, 0.1> pigment { rgb <0.2, 0.35, 0.45> } finish { specular 0.4 } }
sphere { <2 * cos(Frame / 9), 0.7, -1.2>, 0.5 pigment { rgb <0.9, 0.6, 0.2> } finish { phong 0.8 reflection 0.2 } }
