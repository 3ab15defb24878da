// One light path: unidirectional path tracing with a lamp sampled at each diffuse hit (Kajiya 1986).
#include "engine_render.h"

namespace pebble {

namespace {

Vec sky(const Scene &s, Vec d) {
  return mix(s.horizon, s.zenith, d.y > 0 ? std::sqrt(d.y) : 0);
}

void frame_about(Vec n, Vec &t, Vec &b) {  // Duff et al. 2017, an orthonormal basis without branches
  const float sign = std::copysign(1.0f, n.z), a = -1 / (sign + n.z), c = n.x * n.y * a;
  t = {1 + sign * n.x * n.x * a, sign * c, -sign * n.x};
  b = {c, sign + n.y * n.y * a, -n.y};
}

Vec cosine_direction(Vec n, Stream &r) {
  const float u = r.uniform(), a = 2 * kPi * r.uniform(), s = std::sqrt(u);
  Vec t, b;
  frame_about(n, t, b);
  return normalize(t * (s * std::cos(a)) + b * (s * std::sin(a)) + n * std::sqrt(1 - u));
}

Vec lamp_light(const Scene &scene, const Tree &tree, Vec at, Vec n, Stream &r, uint64_t &rays) {
  if (scene.lamps.empty()) return {};
  const int count = static_cast<int>(scene.lamps.size());
  int pick = static_cast<int>(r.uniform() * count);
  const Lamp &lamp = scene.lamps[pick < count ? pick : count - 1];
  const float a = r.uniform(), b = r.uniform();
  const Vec to = lamp.corner + lamp.u * a + lamp.v * b - at;
  const float distance = length(to);
  const Vec d = to * (1 / distance), face = cross(lamp.u, lamp.v);
  const float area = length(face), cos_here = dot(n, d), cos_lamp = std::fabs(dot(face, d)) / area;
  if (cos_here <= 0 || cos_lamp <= 0) return {};
  ++rays;
  if (tree.blocked({at, d}, distance * 0.999f)) return {};
  return lamp.radiance * (count * area * cos_here * cos_lamp / (kPi * distance * distance));
}

Vec through_glass(const Material &m, Vec d, Vec n, bool entering, Stream &r) {
  const float ratio = entering ? 1 / m.index : m.index, cos_in = -dot(d, n);
  const float k = 1 - ratio * ratio * (1 - cos_in * cos_in);
  if (k < 0) return reflect(d, n);
  const float f0 = (m.index - 1) * (m.index - 1) / ((m.index + 1) * (m.index + 1));
  const float c = 1 - (entering ? cos_in : std::sqrt(k));
  if (r.uniform() < f0 + (1 - f0) * c * c * c * c * c) return reflect(d, n);  // Schlick 1994
  return normalize(d * ratio + n * (ratio * cos_in - std::sqrt(k)));
}

// Light that arrives over a bounce, or of a lamp sampled from close by (its share grows without bound towards it), is
// held to a few times a lamp's: the spread of a pixel is then finite, and no single sample glares.
Vec held(Vec light) {
  constexpr float kMost = 5;
  const float b = brightness(light);
  return b > kMost ? light * (kMost / b) : light;
}

}  // namespace

Vec trace(const Scene &scene, const Tree &tree, Ray ray, int bounces, Stream &stream, uint64_t &rays) {
  Vec light, weight{1, 1, 1};
  bool sees_lamps = true;  // a lamp counts here unless the last hit sampled it already
  for (int bounce = 0; bounce < bounces; ++bounce) {
    Hit hit;
    ++rays;
    if (!tree.nearest(ray, 1e30f, hit)) {
      const Vec above = weight * sky(scene, ray.direction);
      return light + (bounce > 0 ? held(above) : above);
    }
    const Material &m = scene.materials[hit.material];
    if (m.kind == Kind::light) {
      if (!sees_lamps) return light;
      const Vec lamp = weight * m.color;
      return light + (bounce > 0 ? held(lamp) : lamp);
    }
    const bool entering = dot(ray.direction, hit.normal) < 0;
    const Vec n = entering ? hit.normal : hit.normal * -1.0f;
    const Vec at = ray.origin + ray.direction * hit.distance;
    weight = weight * m.color;
    Vec next;
    if (m.kind == Kind::diffuse) {
      light += held(weight * lamp_light(scene, tree, at + n * 1e-4f, n, stream, rays));
      next = cosine_direction(n, stream);
      sees_lamps = false;
    } else if (m.kind == Kind::metal) {
      next = reflect(ray.direction, n);
      if (m.rough > 0) next = normalize(next + (cosine_direction(next, stream) - next) * m.rough);
      if (dot(next, n) <= 0) return light;
      sees_lamps = true;
    } else {
      next = through_glass(m, ray.direction, n, entering, stream);
      sees_lamps = true;
    }
    if (bounce > 3) {  // Russian roulette
      const float keep = std::fmin(0.95f, std::fmax(weight.x, std::fmax(weight.y, weight.z)));
      if (stream.uniform() >= keep) return light;
      weight = weight * (1 / keep);
    }
    const Vec off = dot(next, n) > 0 ? n : n * -1.0f;
    ray = {at + off * 1e-4f, next};
  }
  return light;
}

}  // namespace pebble
