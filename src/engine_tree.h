// The tree of boxes that finds what a ray hits first, in two releases.
#pragma once
#include <vector>

#include "engine_scene.h"

namespace pebble {

struct Ray {
  Vec origin, direction;
};
struct Hit {
  float distance = 0;
  Vec normal;
  int material = 0, item = -1;
};

// v1_0 halves the longest axis at the median and visits children in stored order; v1_1 splits by the
// surface area heuristic in 16 bins (Wald 2007) and visits the nearer child first. Both find the same hit.
enum class Release { v1_0, v1_1 };

class Tree {
 public:
  Tree(const Scene &scene, Release release);
  bool nearest(const Ray &ray, float farthest, Hit &hit) const;
  bool blocked(const Ray &ray, float farthest) const;

 private:
  struct Box {
    Vec low{1e30f, 1e30f, 1e30f}, high{-1e30f, -1e30f, -1e30f};
    void grow(Vec p);
    void grow(const Box &b);
    float area() const;
  };
  struct Node {
    Box box;
    int first = 0;  // inner: index of the second child (the first follows its parent); leaf: first item
    int count = 0;  // leaf: number of items
    int axis = 0;
  };
  Box item_box(int item) const;
  int build(int from, int to, int depth);
  int split(int from, int to, const Box &centres, int &axis);
  bool item_hit(int item, const Ray &ray, float farthest, Hit &hit) const;
  static bool enters(const Box &box, const Ray &ray, Vec inverse, float farthest);
  template <bool any>
  bool walk(const Ray &ray, float farthest, Hit &hit) const;

  const Scene &scene_;
  Release release_;
  std::vector<Node> nodes_;
  std::vector<int> items_;  // triangles first, then spheres
  std::vector<Box> boxes_;
  std::vector<Vec> centres_;
};

}  // namespace pebble
