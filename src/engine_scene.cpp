// The three scenes. Each shot has one cut, and its cost follows what fills the picture: sky is cheap,
// brass facing brass, glass and closed rooms are dear.
#include "engine_scene.h"

namespace pebble {

const std::vector<SceneInfo> &scene_list() {
  static const std::vector<SceneInfo> list = {
      {"gears", 720, 301, "brass wheels of the tide clock, close"},
      {"basin", 780, 421, "a lit glass water basin with the clock's float"},
      {"gallery", 750, 501, "a hall with many small exhibits"},
  };
  return list;
}

const SceneInfo *find_scene(const std::string &name) {
  for (const SceneInfo &s : scene_list()) {
    if (name == s.name) return &s;
  }
  return nullptr;
}

namespace {

Material matte(float r, float g, float b) {
  return {Kind::diffuse, {r, g, b}, 0, 1};
}
Material metal(float r, float g, float b, float rough) {
  return {Kind::metal, {r, g, b}, rough, 1};
}
Material glass(float r, float g, float b, float index) {
  return {Kind::glass, {r, g, b}, 0, index};
}

// Position within a part of a shot, 0 at its first frame and 1 at its last.
float along(int frame, int first, int last) {
  return static_cast<float>(frame - first) / static_cast<float>(last - first);
}

Scene gears(int frame, int cut, int frames) {
  Scene s;
  const int brass = s.add(metal(0.92f, 0.72f, 0.34f, 0.12f));
  const int steel = s.add(metal(0.75f, 0.76f, 0.78f, 0.05f));
  const int table = s.add(matte(0.28f, 0.20f, 0.15f));
  const int plate = s.add(metal(0.85f, 0.66f, 0.32f, 0.25f));
  const float turn = frame * 0.012f;
  s.quad({-14, -2.6f, -14}, {0, 0, 28}, {28, 0, 0}, table);
  s.box({-3.4f, -2.2f, 1.1f}, {3.6f, 2.4f, 1.3f}, plate);
  s.box({-3.4f, -2.2f, -1.5f}, {-3.1f, 2.4f, 1.1f}, plate);
  struct Wheel {
    float x, y, z, radius;
    int teeth;
    float ratio;
  };
  const Wheel wheels[] = {{0, 0, 0, 1.5f, 48, 1},
                          {2.1f, 0.4f, 0, 0.75f, 24, -2},
                          {-1.7f, 1.1f, 0, 0.6f, 20, -2.4f},
                          {0.3f, -1.2f, 0.5f, 0.95f, 32, 1.5f},
                          {-1.5f, -1.1f, 0.4f, 0.85f, 28, -1.7f},
                          {2.2f, -1.3f, 0.3f, 0.8f, 26, 1.8f},
                          {1.2f, 1.6f, 0.5f, 0.7f, 24, -2},
                          {-0.6f, 1.7f, 0.6f, 0.55f, 18, 2.7f}};
  for (const Wheel &w : wheels) {
    s.gear({w.x, w.y, w.z}, w.radius, 0.28f, w.teeth, turn * w.ratio, brass);
    s.box({w.x - 0.08f, w.y - 0.08f, w.z - 0.5f}, {w.x + 0.08f, w.y + 0.08f, 1.1f}, steel);
    for (int k = 0; k < 12; ++k) {
      const float a = turn * w.ratio + k * kPi / 6, r = 0.6f * w.radius;
      s.spheres.push_back({{w.x + r * std::cos(a), w.y + r * std::sin(a), w.z}, 0.06f * w.radius + 0.01f, steel});
    }
  }
  s.lamp({-2.5f, 5.5f, -4.0f}, {5, 0, 0}, {0, 0, 3}, {7, 6.4f, 5.4f});
  s.horizon = {0.75f, 0.72f, 0.70f};
  s.zenith = {0.25f, 0.32f, 0.45f};
  if (frame < cut) {  // from far, a third of the picture empty, slowly in
    const float t = smooth(along(frame, 1, cut - 1));
    s.camera = {mix(Vec{7.0f, 5.5f, -13.0f}, Vec{0.8f, 0.7f, -3.2f}, t), mix(Vec{0.5f, 2.2f, 0}, Vec{0.3f, 0.1f, 0}, t),
                42};
  } else {  // between the wheels, then up and away
    const float t = along(frame, cut, frames), lift = smooth((t - 0.65f) / 0.35f);
    s.camera = {Vec{1.6f - 2.6f * t, 0.4f + 1.6f * lift, -1.6f - 2.0f * lift},
                Vec{0.8f - 1.6f * t, -0.2f + 3.4f * lift, 0.6f}, 55};
  }
  return s;
}

Scene basin(int frame, int cut, int frames) {
  Scene s;
  const int stone = s.add(matte(0.55f, 0.53f, 0.50f));
  const int wall = s.add(glass(0.96f, 0.98f, 0.97f, 1.5f));
  const int water = s.add(glass(0.90f, 0.97f, 0.98f, 1.33f));
  const int brass = s.add(metal(0.92f, 0.72f, 0.34f, 0.08f));
  const int tile = s.add(matte(0.20f, 0.42f, 0.50f));
  s.quad({-16, 0, -16}, {0, 0, 32}, {32, 0, 0}, stone);
  s.quad({-2.4f, 0.02f, -1.9f}, {0, 0, 3.8f}, {4.8f, 0, 0}, tile);
  s.box({-2.6f, 0, -2.1f}, {-2.4f, 2.2f, 2.1f}, wall);
  s.box({2.4f, 0, -2.1f}, {2.6f, 2.2f, 2.1f}, wall);
  s.box({-2.4f, 0, -2.1f}, {2.4f, 2.2f, -1.9f}, wall);
  s.box({-2.4f, 0, 1.9f}, {2.4f, 2.2f, 2.1f}, wall);
  const float build = along(frame, 1, frames);  // the swell grows all along
  s.water({-2.4f, 1.5f, -1.9f}, 4.8f, 3.8f, 0.03f + 0.14f * build, frame * 0.035f, 110, water);
  s.spheres.push_back({{0.4f * std::sin(frame * 0.02f), 1.45f, 0.2f}, 0.42f, brass});
  for (int k = 0; k < 40; ++k) {  // bubbles rising
    const float rise = std::fmod(k * 0.137f + frame * 0.004f, 1.0f);
    s.spheres.push_back(
        {{-2.0f + 4.0f * std::fmod(k * 0.618f, 1.0f), 0.1f + 1.2f * rise, -1.5f + 3.0f * std::fmod(k * 0.382f, 1.0f)},
         0.04f + 0.05f * std::fmod(k * 0.71f, 1.0f),
         wall});
  }
  s.lamp({-1.5f, 6, -1.5f}, {3, 0, 0}, {0, 0, 3}, {9, 8.6f, 8});
  s.horizon = {0.35f, 0.38f, 0.42f};
  s.zenith = {0.12f, 0.16f, 0.25f};
  if (frame < cut) {
    const float t = smooth(along(frame, 1, cut - 1));
    s.camera = {mix(Vec{-9, 5.5f, -12}, Vec{-2.2f, 2.9f, -4.6f}, t), mix(Vec{0, 3.0f, 0}, Vec{0, 1.2f, 0}, t), 40};
  } else {  // at the water line, looking through the glass
    const float t = along(frame, cut, frames);
    s.camera = {mix(Vec{3.6f, 1.5f, -3.9f}, Vec{1.0f, 1.0f, -3.2f}, smooth(t)), Vec{0.2f, 1.0f, 0.3f}, 46};
  }
  return s;
}

Scene gallery(int frame, int cut, int frames) {
  Scene s;
  const int plaster = s.add(matte(0.78f, 0.75f, 0.70f));
  const int boards = s.add(matte(0.38f, 0.27f, 0.18f));
  const int plinth = s.add(matte(0.62f, 0.62f, 0.64f));
  const int wares[] = {s.add(matte(0.62f, 0.25f, 0.18f)), s.add(metal(0.92f, 0.72f, 0.34f, 0.15f)),
                       s.add(glass(0.93f, 0.98f, 0.96f, 1.5f)), s.add(matte(0.22f, 0.36f, 0.58f)),
                       s.add(metal(0.80f, 0.80f, 0.82f, 0.05f))};
  s.quad({-60, -0.01f, -60}, {0, 0, 120}, {120, 0, 0}, s.add(matte(0.35f, 0.40f, 0.28f)));
  s.box({-5.4f, 0, 0}, {-5, 5, 26}, plaster);  // a hall along z, open at z = 0
  s.box({5, 0, 0}, {5.4f, 5, 26}, plaster);
  s.box({-5.4f, 5, 0}, {5.4f, 5.4f, 26}, plaster);
  s.box({-5.4f, 0, 26}, {5.4f, 5, 26.4f}, plaster);
  s.quad({-5, 0, 0}, {0, 0, 26}, {10, 0, 0}, boards);
  for (int k = 0; k < 5; ++k) s.lamp({-1.2f, 4.98f, 2.5f + 5 * k}, {2.4f, 0, 0}, {0, 0, 0.8f}, {9, 8.4f, 7.4f});
  int n = 0;
  for (int row = 0; row < 4; ++row) {
    for (int k = 0; k < 11; ++k, ++n) {
      const float x = row == 0 ? -4.1f : row == 1 ? -1.9f : row == 2 ? 1.9f : 4.1f, z = 2.0f + 2.15f * k;
      s.box({x - 0.4f, 0, z - 0.4f}, {x + 0.4f, 1.0f, z + 0.4f}, plinth);
      s.vase({x, 1.0f, z}, 0.5f + 0.35f * std::fmod(n * 0.618f, 1.0f), 0.26f, std::fmod(n * 0.37f, 0.9f), wares[n % 5]);
    }
  }
  s.horizon = {0.85f, 0.88f, 0.95f};
  s.zenith = {0.30f, 0.48f, 0.85f};
  if (frame < cut) {  // from the meadow through the open end into the hall
    const float t = smooth(along(frame, 1, cut - 1));
    s.camera = {mix(Vec{6, 2.4f, -22}, Vec{0.6f, 1.8f, 7}, t), mix(Vec{0, 6.5f, 0}, Vec{0, 1.3f, 22}, t), 50};
  } else {  // along one row, close, then out at the open end
    const float t = along(frame, cut, frames), out = smooth((t - 0.6f) / 0.4f);
    s.camera = {Vec{-3.0f, 1.5f, 21 - 15 * t}, mix(Vec{-4.2f, 1.25f, 19 - 15 * t}, Vec{-0.5f, 3.2f, -12}, out), 48};
  }
  return s;
}

}  // namespace

Scene build_scene(const SceneInfo &info, int frame) {
  const std::string name = info.name;
  if (name == "gears") return gears(frame, info.cut, info.frames);
  if (name == "basin") return basin(frame, info.cut, info.frames);
  return gallery(frame, info.cut, info.frames);
}

}  // namespace pebble
