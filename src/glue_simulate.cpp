// Simulated jobs, for R.
#include "core_random.h"
#include "core_simulate.h"
#include "glue_tariff.h"
#include "glue_threads.h"

using namespace clockpigeon;

namespace {

double number(const Rcpp::List &x, const char *name) {
  return Rcpp::as<double>(x[name]);
}

bool flag(const Rcpp::List &x, const char *name) {
  return Rcpp::as<bool>(x[name]);
}

Varying varying_of(const Rcpp::List &x, const char *name) {
  const Rcpp::NumericVector s = x[name];  // median, sd of its log, df
  return {s[0], s[1], s[2]};
}

Windows windows_of(const Rcpp::List &x, const char *name) {
  Windows out;
  if (Rf_isNull(x[name])) return out;
  const Rcpp::NumericMatrix spans = x[name];
  for (int i = 0; i < spans.nrow(); ++i) {
    out.from.push_back(to_ticks(std::max(0.0, spans(i, 0))));
    out.to.push_back(to_ticks(spans(i, 1)));
  }
  return out;
}

Counted counted_of(const Rcpp::List &x) {
  Counted c;
  c.what = counted_value(x["what"]);
  c.activities = unsigned(number(x, "activities"));
  c.each_run = flag(x, "each_run");
  c.step = ticks(number(x, "step"));
  c.rounding = rounding_of(x["rounding"]);
  c.hours = windows_of(x, "hours");
  c.sent = flag(x, "sent");
  c.fetched = flag(x, "fetched");
  c.weight = number(x, "weight");
  return c;
}

Streams streams_of(const Rcpp::NumericVector &x) {
  const auto at = [&](const char *name) { return uint64_t(double(x[name])); };
  return {at("speed"), at("link"), at("wait"), at("start"), at("fail"), at("vanish"), at("job")};
}

Way way_of(const Rcpp::List &x) {
  Way w;
  w.nodes = int(number(x, "nodes"));
  w.begin = to_ticks(number(x, "begin"));
  const Rcpp::NumericVector speed = x["speed"];
  w.log_speed = speed[0], w.speed_se = speed[1], w.speed_df = speed[2];
  w.node_sd = number(x, "node_sd");
  w.node_speed = Rcpp::as<std::vector<double>>(x["node_speed"]);
  w.prepare = varying_of(x, "prepare"), w.wait = varying_of(x, "wait"), w.start = varying_of(x, "start");
  w.install = varying_of(x, "install"), w.load = varying_of(x, "load"), w.merge = varying_of(x, "merge");
  w.encode = varying_of(x, "encode");
  w.upload = number(x, "upload"), w.fetch = number(x, "fetch");
  w.link = number(x, "link"), w.link_sd = number(x, "link_sd");
  w.prepass_tasks = int(number(x, "prepass_tasks"));
  w.prepass_each = varying_of(x, "prepass_each");
  w.prepass_on_one = flag(x, "prepass_on_one");
  const std::string spread = x["spread"];
  w.spread = spread == "ranges" ? Way::Kind::ranges : spread == "frames" ? Way::Kind::frames : Way::Kind::parts;
  w.parts = int(number(x, "parts"));
  w.part_load = number(x, "part_load");
  w.part_weight = Rcpp::as<std::vector<double>>(x["part_weight"]);
  w.part_bytes = number(x, "part_bytes"), w.part_link = number(x, "part_link");
  w.fails = number(x, "fails");
  w.retries = int(number(x, "retries"));
  w.vanish_rate = number(x, "vanish"), w.freeze_rate = number(x, "freeze");
  w.notice = to_ticks(number(x, "notice"));
  w.replaced = flag(x, "replaced");
  w.until_end = flag(x, "until_end");
  w.metered = unsigned(number(x, "metered"));
  w.open = windows_of(x, "open");
  w.pixels = number(x, "pixels");
  w.cap = int64_t(number(x, "cap"));
  w.cap_lag = to_ticks(number(x, "cap_lag"));
  const double halt = number(x, "halt");
  w.halt = std::isfinite(halt) ? to_ticks(halt) : kNever;
  w.bills_failed = flag(x, "bills_failed"), w.bills_aborted = flag(x, "bills_aborted");
  const Rcpp::List counted = x["counted"];
  for (R_xlen_t k = 0; k < counted.size(); ++k) w.counted.push_back(counted_of(counted[k]));
  w.streams = streams_of(x["streams"]);
  return w;
}

ticks known_ticks(double seconds) {
  return std::isnan(seconds) ? kNever : to_ticks(seconds);
}

Past past_of(const Rcpp::List &x) {
  Past p;
  p.now = to_ticks(number(x, "now"));
  p.prepared = known_ticks(number(x, "prepared"));
  p.sent = known_ticks(number(x, "sent"));
  p.hired = known_ticks(number(x, "hired"));
  p.spent = std::isnan(number(x, "spent")) ? -1 : int64_t(number(x, "spent"));
  const Rcpp::NumericMatrix spans = x["spans"], losses = x["losses"];
  for (int i = 0; i < spans.nrow(); ++i) {
    p.spans.push_back({int(spans(i, 0)), unsigned(spans(i, 1)), to_ticks(spans(i, 2)), known_ticks(spans(i, 3)),
                       int(spans(i, 4)), spans(i, 5)});
  }
  for (int i = 0; i < losses.nrow(); ++i) {
    p.losses.push_back({int(losses(i, 0)), to_ticks(losses(i, 1)), to_ticks(losses(i, 2))});
  }
  return p;
}

Rest rest_of(const Rcpp::List &x, Rcpp::IntegerMatrix &keep) {
  Rest r;
  if (!Rf_isNull(x["mine"])) {
    keep = Rcpp::as<Rcpp::IntegerMatrix>(x["mine"]);
    r.mine = keep.begin();
  }
  r.numbers = Rcpp::as<std::vector<int>>(x["numbers"]);
  const Rcpp::List past = x["past"];
  for (R_xlen_t i = 0; i < past.size(); ++i) r.past.push_back(past_of(past[i]));
  return r;
}

Frames frames_of(const Rcpp::List &x, int draws, Rcpp::NumericMatrix &keep) {
  Frames f;
  f.draws = draws;
  f.before = int(number(x, "before"));
  if (!Rf_isNull(x["given"])) {
    keep = Rcpp::as<Rcpp::NumericMatrix>(x["given"]);
    f.given = keep.begin();
    f.frames = keep.ncol();
  } else {
    f.log_median = Rcpp::as<std::vector<double>>(x["log_median"]);
    f.sd = number(x, "sd");
    f.frames = int(f.log_median.size());
    f.stream = uint64_t(number(x, "stream"));
  }
  return f;
}

const char *const kColumns[] = {"finish_s",  "prepare_s",   "upload_s",    "wait_s",   "start_s", "prepass_s",
                                "render_s",  "closed_s",    "download_s",  "encode_s", "node_s",  "busy_s",
                                "log_speed", "frames_done", "frames_lost", "capped",   "list",    "minimum",
                                "discount",  "tax",         "credit",      "to_pay",   "prepaid", "lost_money"};

void put_outcomes(const std::vector<Outcome> &out, Rcpp::List &columns) {
  constexpr int kCount = sizeof kColumns / sizeof *kColumns;
  std::vector<double *> to;
  for (int k = 0; k < kCount; ++k) to.push_back(REAL(columns[k]));
  for (size_t i = 0; i < out.size(); ++i) {
    const Outcome &o = out[i];
    const Bill &b = o.bill;
    const double row[kCount] = {
        o.finish,           o.prepare,     o.upload,         o.wait,           o.start,           o.prepass,
        o.render,           o.closed,      o.download,       o.encode,         o.node_s,          o.busy_s,
        o.log_speed,        o.done,        o.lost,           o.capped,         double(b.list),    double(b.minimum),
        double(b.discount), double(b.tax), double(b.credit), double(b.to_pay), double(o.prepaid), double(o.lost_minor)};
    for (int k = 0; k < kCount; ++k) to[k][i] = row[k];
  }
}

}  // namespace

// Draws of a job rendered one way. `frames`: `given` (draws x frames) or `log_median`, `sd`, `stream`; `way` as
// R/1-job-simulate.R makes it; `rest`: `mine` (draws x frames) or NULL, `numbers` (of the draws, or none), `past` (from
// 1-job-state.R, one, or one a draw, or none); `tariff` and `prepaid` (which of its balances were) or NULL. Gives
// `columns` (one entry a draw each), where `keep` asks for them `home` (frames x draws) and `lines` (charges x draws),
// and of a way that is halted `begun` (frames x draws).
// [[Rcpp::export]]
Rcpp::List job_draws(Rcpp::List frames, Rcpp::List way, Rcpp::List rest, SEXP tariff, Rcpp::LogicalVector prepaid,
                     int draws, int threads, bool keep, bool lanes) {
  Rcpp::NumericMatrix given;
  const Frames f = frames_of(frames, draws, given);
  const Way w = way_of(way);
  Rcpp::IntegerMatrix mine;
  const Rest r = rest_of(rest, mine);
  Tariff t;
  const bool priced = !Rf_isNull(tariff);
  if (priced) t = tariff_of_list(Rcpp::List(tariff));
  const std::vector<char> ahead(prepaid.begin(), prepaid.end());
  std::vector<Outcome> outcomes(draws);
  Rcpp::NumericMatrix home(keep ? f.frames : 0, keep ? draws : 0);
  Rcpp::NumericMatrix lines(keep && priced ? int(t.charges.size()) : 0, keep && priced ? draws : 0);
  const bool halts = w.halt < kNever;
  Rcpp::IntegerMatrix begun(halts ? f.frames : 0, halts ? draws : 0);
  Results out{outcomes,
              {home.begin(), size_t(home.size())},
              {lines.begin(), size_t(lines.size())},
              {begun.begin(), size_t(begun.size())}};
  // Whole blocks of eight draws, large enough that setting up the nodes is not most of the work.
  const int eights = (draws + kLanes - 1) / kLanes;
  const int each = std::max(1, std::min(eights, int(4e5 / f.frames / kLanes) + 1));
  const int blocks = (eights + each - 1) / each;
  on_threads(blocks, double(draws) * f.frames < 1e5 ? 1 : threads, [&](int i) {
    const int first = i * each * kLanes;
    simulate_draws(f, w, r, priced ? &t : nullptr, ahead, first, std::min(draws, first + each * kLanes), lanes, out);
  });

  Rcpp::List columns;
  for (const char *name : kColumns) columns.push_back(Rcpp::NumericVector(draws), name);
  put_outcomes(outcomes, columns);
  return Rcpp::List::create(Rcpp::Named("columns") = columns, Rcpp::Named("home") = home, Rcpp::Named("lines") = lines,
                            Rcpp::Named("begun") = begun);
}

// The seconds of each frame (draws x frames) that job_draws() draws of `frames`.
// [[Rcpp::export]]
Rcpp::NumericMatrix frame_seconds(Rcpp::List frames, int draws) {
  Rcpp::NumericMatrix given;
  const Frames f = frames_of(frames, draws, given);
  Rcpp::NumericMatrix out(draws, f.frames);
  std::vector<double> eight(size_t(f.frames) * kLanes);
  for (int first = 0; first < draws; first += kLanes) {
    draw_frames(f, first, eight.data());
    for (int l = 0; l < kLanes && first + l < draws; ++l) {
      for (int k = 0; k < f.frames; ++k) out(first + l, k) = eight[size_t(k) * kLanes + l];
    }
  }
  return out;
}

// The first `n` numbers of a stream, normal or between 0 and 1, for checks against plain R; with `even` the first is
// the normal that is spread evenly over streams.
// [[Rcpp::export]]
Rcpp::NumericVector stream_numbers(double seed, int stream, int n, bool normal, bool even) {
  random_stream random{uint64_t(seed), uint64_t(stream)};
  Rcpp::NumericVector out(n);
  for (int i = 0; i < n; ++i) {
    out[i] = even && i == 0 ? even_normal(uint64_t(seed), uint64_t(stream), random)
             : normal       ? random.normal()
                            : random.uniform();
  }
  return out;
}

// The bit of each activity that a node's span of time can have, as charges and meters name them.
// [[Rcpp::export]]
Rcpp::NumericVector activity_codes() {
  return Rcpp::NumericVector::create(Rcpp::Named("start") = starting, Rcpp::Named("load") = loading,
                                     Rcpp::Named("prepass") = prepassing, Rcpp::Named("render") = rendering,
                                     Rcpp::Named("failed") = failing, Rcpp::Named("aborted") = aborting,
                                     Rcpp::Named("idle") = idling);
}

// For checks: work on threads of which one throws.
// [[Rcpp::export]]
void throw_on_threads(int threads) {
  on_threads(64, threads, [](int i) {
    if (i == 40) throw std::runtime_error("thrown by a thread");
  });
}

// [[Rcpp::export]]
bool wide_lanes() {
  return has_lanes();
}
