// A job on nodes, many times over: stages, list scheduling, retries, lost nodes, hours, the meter and its cap. Times
// are whole microseconds, so that the order of events never hangs on rounding. No R in here.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>
#include "core_bill.h"
#include "core_span.h"

namespace clockpigeon {

using ticks = int64_t;
constexpr double kTicks = 1e6;
constexpr double kHour = 3600 * kTicks;
constexpr ticks kNever = ticks(1) << 56;  // 2,284 years

// Single times end at 31 years, so that sums of them, shifted to make room for a node's number, stay whole numbers.
inline ticks to_ticks(double seconds) {
  return ticks(std::min(seconds, 1e9) * kTicks + 0.5);
}

// A time that varies: log-normal by its median in seconds and the sd of its log; Student's t for a finite df. A median
// of 0 is none.
struct Varying {
  double median = 0, sd = 0, df = INFINITY;
};

// Stretches of time, apart and rising; none: always.
struct Windows {
  std::vector<ticks> from, to;
  bool always() const { return from.empty(); }
  std::size_t at(ticks t, std::size_t near = 0) const;          // the stretch that ends next after t
  ticks next(ticks t, std::size_t near = 0) const;              // t, or when the next stretch begins
  ticks within(ticks a, ticks b, std::size_t near = 0) const;  // of a to b, inside; `near` is where a may lie
};

// Activity of a node, or of the job, in a span of time.
enum Activity : unsigned {
  starting = 1,
  loading = 2,
  prepassing = 4,
  rendering = 8,
  failing = 16,
  aborting = 32,
  idling = 64
};
constexpr int kActivities = 7;
constexpr unsigned kAnything = 127, kWorking = loading | prepassing | rendering | failing | aborting;

// Work of a node in a stretch of time, on which task (-1: none), in how many runs.
struct Span {
  int node;
  unsigned activity;
  ticks from, to;
  int task;
  double runs;
};

// A node that is gone, and when that was noticed.
struct Loss {
  int node;
  ticks gone, noticed;
};

// History of a job up to a moment. Spans are in the order in which they began; for a running one `to` is kNever, and a
// task's `from` is when its node took it.
struct Past {
  ticks now = 0;
  ticks prepared = kNever, sent = kNever, hired = kNever;  // kNever: not yet
  std::vector<Span> spans;
  std::vector<Loss> losses;
  int64_t spent = -1;  // minor units charged for it; -1: as its spans come to
};

// Quantity that a charge of a tariff counts of a simulated job.
struct Counted {
  Value what = Value::ms;
  unsigned activities = 0;  // of time, and of frames
  bool each_run = false;    // every frame's run is rounded separately
  ticks step = 1;           // of such a run
  Rounding rounding = Rounding::up;
  Windows hours;                       // counted only then; none: always
  bool sent = false, fetched = false;  // of bytes
  double weight = 1;
};

struct Streams {
  uint64_t speed = 0, link = 0, wait = 0, start = 0, fail = 0, vanish = 0, job = 0;
};

// How the job is rendered: one option, in numbers.
struct Way {
  int nodes = 1;
  ticks begin = 0;                                          // when it is released, from now
  double log_speed = 0, speed_se = 0, speed_df = INFINITY;  // of all nodes together
  double node_sd = 0;                                       // sd of log speed between nodes
  std::vector<double> node_speed;                           // known differences between nodes; none: all 1
  Varying prepare, wait, start, install, load, merge, encode;
  double upload = 0, fetch = 0, link = 0, link_sd = 0;  // bytes, bytes a frame, bytes a second (0: no way to go)
  int prepass_tasks = 0;
  Varying prepass_each;  // on a node of speed 1
  bool prepass_on_one = false;
  enum class Kind { frames, ranges, parts } spread = Kind::frames;
  int parts = 1;                         // of a frame
  double part_load = 0;                  // seconds of a frame's time that each part pays again, on a node of speed 1
  std::vector<double> part_weight;       // share of the rest that falls to each part
  double part_bytes = 0, part_link = 0;  // what each part sends through the coordinator's link
  double fails = 0;                      // chance that a run of a frame fails
  int retries = 0;
  double vanish_rate = 0, freeze_rate = 0;  // a node's hour
  ticks notice = 0;
  bool replaced = true;
  bool until_end = false;       // nodes are released when all is done, not when idle
  unsigned metered = kWorking;  // what the meter counts
  Windows open;
  double pixels = 0;  // of a frame, their mean
  int64_t cap = 0;    // minor units; 0: none
  ticks cap_lag = 0;
  ticks halt = kNever;  // from then on nodes take no more frames
  bool bills_failed = true, bills_aborted = true;
  std::vector<Counted> counted;  // one a charge of the tariff
  Streams streams;
};

// Seconds of each frame on a node of speed 1: given (one row a draw, column by column), or log-normal, drawn here.
struct Frames {
  int draws = 0, frames = 0;
  int before = 0;  // draws that were made of them already; their streams are not used again
  const double *given = nullptr;
  std::vector<double> log_median;
  double sd = 0;
  uint64_t stream = 0;
};

// Rest of a job: `past`, one for all draws or one a draw, or none; `mine`, the frames of this way (one row a draw,
// column by column), or all; `numbers`, of the simulated draws, or all of them in turn.
struct Rest {
  std::vector<Past> past;
  const int *mine = nullptr;
  std::vector<int> numbers;

  // Is it known what was charged?
  bool told() const {
    return std::any_of(past.begin(), past.end(), [](const Past &p) { return p.spent >= 0; });
  }
  const Past *of(int draw) const {
    return past.empty() ? nullptr : &past[past.size() == 1 ? 0 : std::size_t(draw)];
  }
};

// The stages of one draw add up to its finish: each is the part of the longest chain of events that falls to it.
struct Outcome {
  double finish, prepare, upload, wait, start, prepass, render, closed, merge, download, encode;
  double node_s, busy_s;      // metered and at work, all nodes
  double log_speed;           // of all nodes together, as drawn
  double done, lost, capped;  // frames usable; those not had; 1 when a cap ended it
  Bill bill;
  int64_t prepaid, lost_minor;  // of the credit, what was paid ahead; paid for frames in flight at a cap
};

// Results of the draws: an outcome per draw, and on request the arrival of each frame (seconds, rising; a draw's
// frames behind each other), the amount of each charge (minor units; a draw's charges), and the frames that a
// halted way had started (a draw's frames).
struct Results {
  span<Outcome> outcomes;
  span<double> home, lines;
  span<int> begun;
};

// Simulates draws `first` to `last` of a job; `tariff` and `prepaid` (which of its balances were paid ahead) may be
// absent. `lanes`: eight side by side where that is possible.
void simulate_draws(const Frames &frames, const Way &way, const Rest &rest, const Tariff *tariff,
                    const std::vector<char> &prepaid, int first, int last, bool lanes, Results &out);

// Eight draws side by side in vector lanes, where the processor can.
constexpr int kLanes = 8;
bool has_lanes();

// Fills `out` (frame by frame, eight draws each) with the seconds of draws `first` to `first` + 7.
void draw_frames(const Frames &frames, int first, double *out);

// Eight draws' seconds as ticks, each draw by its own ticks a second.
void seconds_to_tasks(const double *seconds, int count, const double *per_second, ticks *tasks);

// Eight draws on their nodes, side by side. A key is a time times 2^bits plus the number of a node.
struct Lanes {
  int nodes, bits;
  ticks *free;           // keys of when each node is free, node by node; left at their new ones
  ticks *done = nullptr; // the key of each task's end, task by task, where that is wanted; kNever where none begins
  ticks *last;           // raised to the end of the last task
  ticks halt = kNever;   // no task begins from then on
  const Windows *open;   // a task begins only then
};

// List scheduling of `count` tasks (ticks, task by task).
void schedule_lanes(const ticks *tasks, int count, const Lanes &on);

}  // namespace clockpigeon
