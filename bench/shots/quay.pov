// Blocks on a chequered quay that turn while the camera goes by. Reads Frame (1 to 260).
#version 3.7;
global_settings { assumed_gamma 1.0 }
#declare T = Frame / 100;
camera { location <-6 + 4 * T, 2 + 0.6 * sin(T * 3), -7> look_at <-2 + 4 * T, 0.8, 0> angle 55 }
light_source { <8, 12, -9> rgb 1.3 }
background { rgb <0.02, 0.03, 0.05> }
plane { y, 0 pigment { checker rgb 0.85 rgb <0.15, 0.2, 0.35> } finish { reflection 0.1 } }
#declare K = 0;
#while (K < 12)
  box { <-0.4, 0, -0.4>, <0.4, 0.6 + mod(K * 7, 5) * 0.35, 0.4>
    pigment { rgb <0.3 + mod(K, 3) * 0.3, 0.4, 0.2 + mod(K, 4) * 0.2> } finish { specular 0.9 roughness 0.004 }
    rotate y * (Frame * 3 + K * 20) translate <K * 1.6 - 8, 0, mod(K, 3)> }
  #declare K = K + 1;
#end
