#include "engine_tree.h"

#include <algorithm>
#include <numeric>

namespace pebble {

void Tree::Box::grow(Vec p) {
  low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
  high = {std::max(high.x, p.x), std::max(high.y, p.y), std::max(high.z, p.z)};
}

void Tree::Box::grow(const Box &b) {  // an empty box adds nothing
  low = {std::min(low.x, b.low.x), std::min(low.y, b.low.y), std::min(low.z, b.low.z)};
  high = {std::max(high.x, b.high.x), std::max(high.y, b.high.y), std::max(high.z, b.high.z)};
}

float Tree::Box::area() const {
  const Vec d = high - low;
  return d.x < 0 ? 0 : 2 * (d.x * d.y + d.y * d.z + d.z * d.x);
}

Tree::Tree(const Scene &scene, Release release) : scene_(scene), release_(release) {
  const int n = static_cast<int>(scene.triangles.size() + scene.spheres.size());
  items_.resize(n);
  std::iota(items_.begin(), items_.end(), 0);
  boxes_.resize(n);
  centres_.resize(n);
  for (int i = 0; i < n; ++i) {
    boxes_[i] = item_box(i);
    centres_[i] = (boxes_[i].low + boxes_[i].high) * 0.5f;
  }
  nodes_.reserve(2 * n);
  if (n) build(0, n, 0);
}

Tree::Box Tree::item_box(int item) const {
  Box box;
  const int triangles = static_cast<int>(scene_.triangles.size());
  if (item < triangles) {
    const Triangle &t = scene_.triangles[item];
    box.grow(t.a);
    box.grow(t.a + t.ab);
    box.grow(t.a + t.ac);
  } else {
    const Sphere &s = scene_.spheres[item - triangles];
    box.grow(s.centre - Vec{s.radius, s.radius, s.radius});
    box.grow(s.centre + Vec{s.radius, s.radius, s.radius});
  }
  const Vec pad{1e-4f, 1e-4f, 1e-4f};  // rounding in enters() must not lose a flat or a grazed box
  box.low = box.low - pad;
  box.high += pad;
  return box;
}

// Orders items_[from, to) about a split and returns where the second half starts; `from` means no split.
int Tree::split(int from, int to, const Box &centres, int &axis) {
  const Vec d = centres.high - centres.low;
  axis = d.x > d.y ? (d.x > d.z ? 0 : 2) : (d.y > d.z ? 1 : 2);
  if (d[axis] <= 0) return from;
  if (release_ == Release::v1_0) {
    const int middle = (from + to) / 2, by = axis;
    std::nth_element(items_.begin() + from, items_.begin() + middle, items_.begin() + to,
                     [&](int a, int b) { return centres_[a][by] < centres_[b][by]; });
    return middle;
  }
  constexpr int kBins = 16;
  float best = 1e30f;
  int best_axis = axis, best_bin = -1;
  auto bin_of = [&](int item, int by) {
    const int b = static_cast<int>(kBins * (centres_[item][by] - centres.low[by]) / d[by]);
    return std::min(b, kBins - 1);
  };
  for (int by = 0; by < 3; ++by) {
    if (d[by] <= 0) continue;
    Box bin[kBins];
    int count[kBins] = {0};
    for (int i = from; i < to; ++i) {
      const int b = bin_of(items_[i], by);
      bin[b].grow(boxes_[items_[i]]);
      ++count[b];
    }
    float right_area[kBins];
    Box box;
    for (int b = kBins - 1; b > 0; --b) {
      box.grow(bin[b]);
      right_area[b] = box.area();
    }
    Box left;
    int n_left = 0;
    for (int b = 1; b < kBins; ++b) {
      left.grow(bin[b - 1]);
      n_left += count[b - 1];
      const float cost = left.area() * n_left + right_area[b] * (to - from - n_left);
      if (n_left > 0 && n_left < to - from && cost < best) {
        best = cost;
        best_axis = by;
        best_bin = b;
      }
    }
  }
  axis = best_axis;
  const auto middle = std::partition(items_.begin() + from, items_.begin() + to,
                                     [&](int item) { return bin_of(item, best_axis) < best_bin; });
  return static_cast<int>(middle - items_.begin());
}

int Tree::build(int from, int to, int depth) {
  const int at = static_cast<int>(nodes_.size());
  nodes_.emplace_back();
  Box box, centres;
  for (int i = from; i < to; ++i) {
    box.grow(boxes_[items_[i]]);
    centres.grow(centres_[items_[i]]);
  }
  nodes_[at].box = box;
  int axis = 0, middle = from;
  if (to - from > 4 && depth < 60) middle = split(from, to, centres, axis);
  if (middle == from || middle == to) {
    nodes_[at].first = from;
    nodes_[at].count = to - from;
    return at;
  }
  nodes_[at].axis = axis;
  build(from, middle, depth + 1);
  const int second = build(middle, to, depth + 1);
  nodes_[at].first = second;
  return at;
}

// Triangles: Moller & Trumbore (1997). Spheres: the nearer root in front of the ray. Of two shapes hit at the
// same distance the one listed first counts, so that the order of the walk does not show in the picture.
bool Tree::item_hit(int item, const Ray &ray, float farthest, Hit &hit) const {
  constexpr float kNear = 1e-4f;
  const int triangles = static_cast<int>(scene_.triangles.size());
  auto beaten = [&](float distance) {
    return distance < kNear || distance > farthest || (distance == farthest && item > hit.item);
  };
  if (item < triangles) {
    const Triangle &t = scene_.triangles[item];
    const Vec p = cross(ray.direction, t.ac);
    const float det = dot(t.ab, p);
    if (std::fabs(det) < 1e-12f) return false;
    const float inv = 1 / det;
    const Vec s = ray.origin - t.a;
    const float u = dot(s, p) * inv;
    if (u < 0 || u > 1) return false;
    const Vec q = cross(s, t.ab);
    const float v = dot(ray.direction, q) * inv;
    if (v < 0 || u + v > 1) return false;
    const float distance = dot(t.ac, q) * inv;
    if (beaten(distance)) return false;
    hit = {distance, cross(t.ab, t.ac), t.material, item};  // made a unit vector once, for the nearest
    return true;
  }
  const Sphere &s = scene_.spheres[item - triangles];
  const Vec to_centre = s.centre - ray.origin;
  const float b = dot(to_centre, ray.direction), disc = b * b - dot(to_centre, to_centre) + s.radius * s.radius;
  if (disc < 0) return false;
  const float root = std::sqrt(disc), distance = b - root > kNear ? b - root : b + root;
  if (beaten(distance)) return false;
  hit = {distance, ray.origin + ray.direction * distance - s.centre, s.material, item};
  return true;
}

bool Tree::enters(const Box &box, const Ray &ray, Vec inverse, float farthest) {
  const float x1 = (box.low.x - ray.origin.x) * inverse.x, x2 = (box.high.x - ray.origin.x) * inverse.x;
  const float y1 = (box.low.y - ray.origin.y) * inverse.y, y2 = (box.high.y - ray.origin.y) * inverse.y;
  const float z1 = (box.low.z - ray.origin.z) * inverse.z, z2 = (box.high.z - ray.origin.z) * inverse.z;
  const float in = std::max(std::max(std::min(x1, x2), std::min(y1, y2)), std::min(z1, z2));
  const float out = std::min(std::min(std::max(x1, x2), std::max(y1, y2)), std::max(z1, z2));
  return out >= std::max(in, 0.0f) && in <= farthest;
}

template <bool any>
bool Tree::walk(const Ray &ray, float farthest, Hit &hit) const {
  const Vec inverse{1 / ray.direction.x, 1 / ray.direction.y, 1 / ray.direction.z};
  int stack[128], top = 0, at = 0;
  bool found = false;
  if (nodes_.empty()) return false;
  for (;;) {
    const Node &node = nodes_[at];
    if (enters(node.box, ray, inverse, farthest)) {
      if (node.count == 0) {
        const bool swap = release_ == Release::v1_1 && ray.direction[node.axis] < 0;
        stack[top++] = swap ? at + 1 : node.first;
        at = swap ? node.first : at + 1;
        continue;
      }
      for (int i = node.first; i < node.first + node.count; ++i) {
        if (item_hit(items_[i], ray, farthest, hit)) {
          if (any) return true;
          farthest = hit.distance;
          found = true;
        }
      }
    }
    if (top == 0) break;
    at = stack[--top];
  }
  return found;
}

bool Tree::nearest(const Ray &ray, float farthest, Hit &hit) const {
  if (!walk<false>(ray, farthest, hit)) return false;
  hit.normal = normalize(hit.normal);
  return true;
}

bool Tree::blocked(const Ray &ray, float farthest) const {
  Hit hit;
  return walk<true>(ray, farthest, hit);
}

}  // namespace pebble
