// pebble: the built-in engine's command line.
#include <getopt.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <stdexcept>
#include <string>

#include "engine_picture.h"
#include "engine_render.h"

#if !defined(_WIN32)
#include <sys/resource.h>
#endif

namespace {

using namespace pebble;

struct Request {
  std::string scene, out, release = "1.1";
  int frame = 0, last_frame = 0, step = 1, first = 1, last = 0;
  Job job;
  bool ask_version = false, ask_help = false, ask_list = false;
};

const char *kHelp =
    "pebble renders frames of a built-in scene.\n\n"
    "  --scene NAME      gears, basin or gallery (--list tells their frames)\n"
    "  --frame N         frame of the shot, from 1; several as 1-120 or '1-120 by 6', each picture with its number\n"
    "  --size WxH        pixels\n"
    "  --out FILE        .png (8 bit, sRGB) or .pfm (linear float)\n"
    "  --samples N       stop at N samples a pixel             } one of these\n"
    "  --noise X         stop at this error over brightness    } at least; the\n"
    "  --time S          stop after S seconds of computing     } first reached ends it\n"
    "  --threads N       1 when not given\n"
    "  --band A-B        only rows A to B, from 1\n"
    "  --seed N          1 when not given\n"
    "  --bounces N       most bounces along a path, 32 when not given\n"
    "  --release R       1.0 or 1.1 (default)\n"
    "  --list, --version, --help\n";

[[noreturn]] void refuse(const std::string &why) {
  throw std::invalid_argument(why);
}

double number(const char *text, const std::string &option, double least, bool whole) {
  char *end = nullptr;
  const double x = std::strtod(text, &end);
  if (end == text || *end != '\0' || !(x >= least) || x > 1e9 || (whole && x != std::floor(x))) {
    refuse(option + " got '" + text + "': write a " + (whole ? "whole " : "") + "number of at least " +
           (whole ? std::to_string(static_cast<int>(least)) : std::string("0, above it")));
  }
  return x;
}

// The whole number from 1 to 1e9 at the start of a text, and the rest of the text; 0 for any other.
int leading_number(const char *&text) {
  if (*text < '0' || *text > '9') return 0;
  char *end = nullptr;
  const double x = std::strtod(text, &end);
  for (const char *c = text; c < end; ++c) {
    if (*c < '0' || *c > '9') return 0;
  }
  text = end;
  return x >= 1 && x <= 1e9 ? static_cast<int>(x) : 0;
}

void two_numbers(const char *text, char between, const std::string &option, int &a, int &b) {
  const char *rest = text;
  a = leading_number(rest);
  const bool marked = a > 0 && *rest == between;
  if (marked) b = leading_number(++rest);
  if (!marked || b < 1 || *rest != '\0') {
    refuse(option + " got '" + text + "': write two whole numbers with '" + between + "' between them");
  }
}

// A frame, or frames as 1-120 or '1-120 by 6'.
void frame_range(const char *text, Request &r) {
  const char *rest = text;
  r.frame = leading_number(rest);
  const bool range = r.frame > 0 && *rest == '-';
  bool good = range;
  if (range) {
    r.last_frame = leading_number(++rest);
    const std::string by = " by ";
    if (*rest != '\0') {
      good = by == std::string(rest).substr(0, by.size());
      if (good) {
        rest += by.size();
        r.step = leading_number(rest);
        good = r.step > 0 && *rest == '\0';
      }
    }
    if (good && r.last_frame >= r.frame) return;
    refuse(std::string("--frame got '") + text + "': write 12, 1-120 or '1-120 by 6'");
  }
  r.frame = r.last_frame = static_cast<int>(number(text, "--frame", 1, true));
}

Request parse(int argc, char **argv) {
  enum {
    scene = 1,
    frame,
    size,
    out,
    samples,
    noise,
    time_s,
    threads,
    band,
    seed,
    bounces,
    release,
    version,
    help,
    list
  };
  static const option options[] = {
      {"scene", 1, nullptr, scene},     {"frame", 1, nullptr, frame},     {"size", 1, nullptr, size},
      {"out", 1, nullptr, out},         {"samples", 1, nullptr, samples}, {"noise", 1, nullptr, noise},
      {"time", 1, nullptr, time_s},     {"threads", 1, nullptr, threads}, {"band", 1, nullptr, band},
      {"seed", 1, nullptr, seed},       {"release", 1, nullptr, release}, {"version", 0, nullptr, version},
      {"bounces", 1, nullptr, bounces}, {"help", 0, nullptr, help},       {"list", 0, nullptr, list},
      {nullptr, 0, nullptr, 0}};
  Request r;
  opterr = 0;
  for (int c; (c = getopt_long(argc, argv, "", options, nullptr)) != -1;) {
    switch (c) {
      case scene: r.scene = optarg; break;
      case frame: frame_range(optarg, r); break;
      case size: two_numbers(optarg, 'x', "--size", r.job.width, r.job.height); break;
      case out: r.out = optarg; break;
      case samples: r.job.limits.samples = static_cast<int>(number(optarg, "--samples", 1, true)); break;
      case noise: r.job.limits.noise = number(optarg, "--noise", 1e-12, false); break;
      case time_s: r.job.limits.time_s = number(optarg, "--time", 1e-12, false); break;
      case threads: r.job.threads = static_cast<int>(number(optarg, "--threads", 1, true)); break;
      case band: two_numbers(optarg, '-', "--band", r.first, r.last); break;
      case seed: r.job.seed = static_cast<uint64_t>(number(optarg, "--seed", 0, true)); break;
      case bounces: r.job.bounces = static_cast<int>(number(optarg, "--bounces", 1, true)); break;
      case release: r.release = optarg; break;
      case version: r.ask_version = true; break;
      case help: r.ask_help = true; break;
      case list: r.ask_list = true; break;
      default: refuse(std::string("unknown or incomplete option ") + argv[optind - 1] + ": see --help");
    }
  }
  if (optind < argc) refuse(std::string("what is '") + argv[optind] + "'? See --help");
  if (r.release != "1.0" && r.release != "1.1") refuse("--release got '" + r.release + "': write 1.0 or 1.1");
  return r;
}

const SceneInfo &check(Request &r) {
  const SceneInfo *info = find_scene(r.scene);
  if (!info) refuse("--scene got '" + r.scene + "': write gears, basin or gallery");
  if (r.frame < 1 || r.last_frame > info->frames) {
    refuse("--frame got " + std::to_string(std::max(r.frame, r.last_frame)) + ": " + r.scene + " has frames 1-" +
           std::to_string(info->frames));
  }
  if (r.job.width < 1) refuse("--size is missing: write it as 320x180");
  if (r.job.width > 32768 || r.job.height > 32768 || r.job.width * int64_t{r.job.height} > (1 << 28)) {
    refuse("--size is at most 32768 on a side, and 268 million pixels");
  }
  if (r.job.threads > 1024) refuse("--threads is at most 1024");
  const std::string ending = r.out.size() > 4 ? r.out.substr(r.out.size() - 4) : "";
  if (!r.out.empty() && ending != ".png" && ending != ".pfm") {
    refuse("--out got '" + r.out + "': write a file name that ends in .png or .pfm");
  }
  if (r.out.empty()) refuse("--out is missing: write a file name that ends in .png or .pfm");
  const Limits &l = r.job.limits;
  if (l.samples <= 0 && l.noise <= 0 && l.time_s <= 0) refuse("no limit: give --samples, --noise or --time");
  if (r.last == 0) r.last = r.job.height;
  if (r.first > r.last || r.last > r.job.height) {
    refuse("--band got rows " + std::to_string(r.first) + "-" + std::to_string(r.last) + ": the frame has rows 1-" +
           std::to_string(r.job.height));
  }
  r.job.row_from = r.first - 1;
  r.job.row_to = r.last;
  return *info;
}

double peak_mb() {
#if defined(_WIN32)
  return -1;
#else
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
#if defined(__APPLE__)
  return usage.ru_maxrss / 1e6;
#else
  return usage.ru_maxrss * 1024.0 / 1e6;
#endif
#endif
}

// Path of one of several frames: the number before the ending.
std::string numbered(const std::string &out, int frame) {
  char digits[16];
  std::snprintf(digits, sizeof digits, "-%04d", frame);
  const size_t dot = out.rfind('.');
  return dot == std::string::npos ? out + digits : out.substr(0, dot) + digits + out.substr(dot);
}

int run_frame(const Request &r, const SceneInfo &info, const std::string &to) {
  using Clock = std::chrono::steady_clock;
  auto since = [](Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); };
  const auto start = Clock::now();
  const Scene scene = build_scene(info, r.frame);
  const Tree tree(scene, r.release == "1.0" ? Release::v1_0 : Release::v1_1);
  const double load = since(start);
  std::printf("pebble %s\nscene %s frame %d of %d\n", r.release.c_str(), info.name, r.frame, info.frames);
  std::printf("shapes %zu\nload %.4f s\n", scene.triangles.size() + scene.spheres.size(), load);
  std::fflush(stdout);
  const auto begin = Clock::now();
  const Outcome out = render(scene, tree, r.job);
  std::printf("compute %.4f s\nsamples %.3f\n", since(begin), out.samples);
  if (out.noise >= 0) std::printf("noise %.5f\n", out.noise);
  std::printf("rays %llu\n", static_cast<unsigned long long>(out.rays));
  write_picture(out.picture, to);
  if (peak_mb() > 0) std::printf("memory %.1f MB\n", peak_mb());
  std::printf("written %s\n", to.c_str());
  std::fflush(stdout);
  return 0;
}

int run(Request r) {
  const SceneInfo &info = check(r);
  const bool several = r.last_frame > r.frame;
  const int last = r.last_frame;
  while (true) {
    run_frame(r, info, several ? numbered(r.out, r.frame) : r.out);
    if (last - r.frame < r.step) return 0;
    r.frame += r.step;
  }
}

}  // namespace

int main(int argc, char **argv) {
  try {
    const Request r = parse(argc, argv);
    if (r.ask_help) return std::fputs(kHelp, stdout) < 0;
    if (r.ask_version) return std::printf("pebble %s\n", r.release.c_str()) < 0;
    if (r.ask_list) {
      for (const SceneInfo &s : scene_list())
        std::printf("%-8s frames 1-%d, cut before %d: %s\n", s.name, s.frames, s.cut, s.about);
      return 0;
    }
    return run(r);
  } catch (const std::invalid_argument &e) {
    std::fprintf(stderr, "pebble: %s\n", e.what());
    return 2;
  } catch (const std::exception &e) {
    std::fprintf(stderr, "pebble: %s\n", e.what());
    return 1;
  }
}
