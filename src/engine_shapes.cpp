// The shapes that the scenes are made of.
#include "engine_scene.h"

namespace pebble {

void Scene::quad(Vec corner, Vec u, Vec v, int m) {
  triangle(corner, corner + u, corner + u + v, m);
  triangle(corner, corner + u + v, corner + v, m);
}

void Scene::lamp(Vec corner, Vec u, Vec v, Vec radiance) {
  Material m;
  m.kind = Kind::light;
  m.color = radiance;
  quad(corner, u, v, add(m));
  lamps.push_back({corner, u, v, radiance});
}

void Scene::box(Vec low, Vec high, int m) {
  const Vec x{high.x - low.x, 0, 0}, y{0, high.y - low.y, 0}, z{0, 0, high.z - low.z};
  quad(low, x, z, m);
  quad(low + y, z, x, m);
  quad(low, y, x, m);
  quad(low + z, x, y, m);
  quad(low, z, y, m);
  quad(low + x, y, z, m);
}

// A spur gear in the x-y plane, extruded along z: each tooth is four points of the outline.
void Scene::gear(Vec centre, float radius, float depth, int teeth, float turn, int m) {
  const float root = radius * (1 - 3.2f / teeth), hub = radius * 0.28f;
  std::vector<Vec> rim, bore;
  for (int i = 0; i < teeth; ++i) {
    const float step = 2 * kPi / teeth, at = turn + i * step;
    const float angles[4] = {at, at + 0.22f * step, at + 0.5f * step, at + 0.72f * step};
    const float radii[4] = {root, radius, radius, root};
    for (int k = 0; k < 4; ++k) {
      const float c = std::cos(angles[k]), s = std::sin(angles[k]);
      rim.push_back(centre + Vec{radii[k] * c, radii[k] * s, 0});
      bore.push_back(centre + Vec{hub * c, hub * s, 0});
    }
  }
  const Vec back{0, 0, depth};
  for (size_t i = 0; i < rim.size(); ++i) {
    const size_t j = (i + 1) % rim.size();
    quad(rim[i], rim[j] - rim[i], back, m);
    quad(bore[j], bore[i] - bore[j], back, m);
    for (int side = 0; side < 2; ++side) {
      const Vec shift = back * static_cast<float>(side);
      triangle(rim[i] + shift, rim[j] + shift, bore[j] + shift, m);
      triangle(rim[i] + shift, bore[j] + shift, bore[i] + shift, m);
    }
  }
}

// A turned vase: a profile of 20 rings, 28 sides each.
void Scene::vase(Vec foot, float height, float radius, float waist, int m) {
  const int rings = 20, sides = 28;
  auto point = [&](int ring, int side) {
    const float t = static_cast<float>(ring) / rings, a = 2 * kPi * side / sides;
    const float r = radius * (0.45f + 0.55f * std::sin(kPi * (0.15f + 0.8f * t)) * (1 - waist * t * t));
    return foot + Vec{r * std::cos(a), height * t, r * std::sin(a)};
  };
  for (int i = 0; i < rings; ++i) {
    for (int k = 0; k < sides; ++k) {
      triangle(point(i, k), point(i + 1, k), point(i + 1, k + 1), m);
      triangle(point(i, k), point(i + 1, k + 1), point(i, k + 1), m);
    }
  }
}

// A rippled surface of cells x cells squares: three waves that cross.
void Scene::water(Vec low, float width, float length, float swell, float phase, int cells, int m) {
  auto point = [&](int i, int k) {
    const float x = static_cast<float>(i) / cells, z = static_cast<float>(k) / cells;
    const float h = std::sin(19 * x + 2 * phase) * 0.5f + std::sin(27 * z - 3 * phase) * 0.3f +
                    std::sin(34 * (x + z) + 5 * phase) * 0.2f;
    return low + Vec{width * x, swell * h, length * z};
  };
  for (int i = 0; i < cells; ++i) {
    for (int k = 0; k < cells; ++k) {
      triangle(point(i, k), point(i, k + 1), point(i + 1, k + 1), m);
      triangle(point(i, k), point(i + 1, k + 1), point(i + 1, k), m);
    }
  }
}

}  // namespace pebble
