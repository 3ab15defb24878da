// A scene: triangles and spheres, their materials, lights, a sky and a camera.
#pragma once
#include <string>
#include <vector>

#include "engine_math.h"

namespace pebble {

enum class Kind : uint8_t { diffuse, metal, glass, light };

struct Material {
  Kind kind = Kind::diffuse;
  Vec color{0.7f, 0.7f, 0.7f};  // albedo, tint or emitted radiance
  float rough = 0;              // metal only: 0 is a mirror
  float index = 1.5f;           // glass only: refractive index
};

struct Triangle {
  Vec a, ab, ac;
  int material;
};
struct Sphere {
  Vec centre;
  float radius;
  int material;
};
struct Lamp {
  Vec corner, u, v;
  Vec radiance;
};  // a lit parallelogram

struct Camera {
  Vec eye, target;
  float fov_degrees;
};

struct Scene {
  std::vector<Material> materials;
  std::vector<Triangle> triangles;
  std::vector<Sphere> spheres;
  std::vector<Lamp> lamps;
  Vec horizon{0.5f, 0.6f, 0.75f}, zenith{0.2f, 0.35f, 0.7f};
  Camera camera;

  int add(Material m) {
    materials.push_back(m);
    return static_cast<int>(materials.size()) - 1;
  }
  void triangle(Vec a, Vec b, Vec c, int m) { triangles.push_back({a, b - a, c - a, m}); }
  void quad(Vec corner, Vec u, Vec v, int m);
  void lamp(Vec corner, Vec u, Vec v, Vec radiance);
  void box(Vec low, Vec high, int m);
  void gear(Vec centre, float radius, float depth, int teeth, float turn, int m);
  void vase(Vec foot, float height, float radius, float waist, int m);
  void water(Vec low, float width, float length, float swell, float phase, int cells, int m);
};

// The scenes of the demo's film. Frames count from 1; a frame outside the shot is the caller's error.
struct SceneInfo {
  const char *name;
  int frames;
  int cut;
  const char *about;
};
const std::vector<SceneInfo> &scene_list();
const SceneInfo *find_scene(const std::string &name);
Scene build_scene(const SceneInfo &info, int frame);

}  // namespace pebble
