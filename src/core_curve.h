// Log frame times along a shot: a Matern 3/2 process in state-space form with static coefficients and single frames
// that stand out; its likelihood, a chain over its parameters, paths and moments.
#pragma once
#include <vector>

#include "core_random.h"

namespace clockpigeon {

// Measurements. Probed frames are in the order of the shot; rows (measurements) in the order of their frames.
struct curve_data {
  std::vector<double> at;        // places of the probed frames along the shot, rising
  std::vector<char> fresh;       // 1 where a cut lies between this probed frame and the one before
  std::vector<double> extra;     // variance of the frame beyond its own spread (a cheap time that was filled in)
  std::vector<int> frame;        // of each row: which probed frame
  std::vector<double> y;         // of each row: log seconds
  std::vector<double> noise;     // of each row: variance of y about the frame's log time, from run to run
  std::vector<double> design;    // rows x coefficients, row by row
  std::vector<double> mean, sd;  // of the coefficients, beforehand
  int coefficients() const { return int(mean.size()); }
};

struct curve_parameters {
  double sd = 0.3, range = 100, own = 0.05;  // along the shot; its length in frames; of each frame for itself
  double rate = 0;                           // share of frames that stand out
};

// Beforehand: sd, range and own are log-normal, rate is beta; a frame that stands out is off by heavy_mean on average.
struct curve_prior {
  double mean[3], spread[3];  // of log sd, log range, log own
  double rate_a, rate_b, heavy_mean, heavy_sd;
};

// Log likelihood; `heavy` flags the probed frames that stand out. The coefficients' moments given all rows go to
// `coefficients` (mean) and `covariance` where these are wanted.
double curve_likelihood(const curve_data &data, const curve_parameters &p, const curve_prior &prior,
                        const std::vector<char> &heavy, std::vector<double> *coefficients = nullptr,
                        std::vector<double> *covariance = nullptr);

struct curve_sample {
  curve_parameters p;
  std::vector<char> heavy;
};

// Draws of the parameters given the rows: Metropolis steps on log sd, log range and log own with states and
// coefficients integrated out; the flags by Gibbs steps given a path.
std::vector<curve_sample> curve_chain(const curve_data &data, const curve_prior &prior, int draws, int thin,
                                      int warm_up, uint64_t seed);

// The whole shot.
struct curve_shot {
  std::vector<double> frame;             // places, rising
  std::vector<int> probed;               // of each probed frame: its index among the frames
  std::vector<double> extra;             // of each frame
  std::vector<double> design;            // frames x coefficients, row by row: those that only measurements have are 0
  std::vector<double> cut_from, cut_to;  // each cut's first frame lies evenly in cut_from..cut_to; rising
  double run_sd = 0;                     // of log seconds from run to run: in the times that come out
};

// Adjusts the log of the sum over the unprobed frames to the design of the probes: the model's median goes to
// `centre`, distances below and above it are stretched, and kept within `least` and `most` of the centre.
struct curve_design {
  bool known = false;
  double middle = 0, centre = 0, below = 1, above = 1, least = 0, most = 0;
};

// Brings one draw of the seconds to the design: the frames that were not probed, all by one factor.
void curve_to_design(const curve_shot &shot, const curve_design &design, double *seconds);

// One draw of the seconds of every frame. `smooth` takes the log seconds without each frame's own part, where wanted.
void curve_path(const curve_data &data, const curve_shot &shot, const curve_prior &prior, const curve_sample &sample,
                random_stream &random, double *seconds, double *smooth = nullptr);

// Mean and variance of log seconds of every frame (its own part included where `own`, the run's not), the parameters
// given.
void curve_moments(const curve_data &data, const curve_shot &shot, const curve_parameters &p, bool own, double *mean,
                   double *variance);

}  // namespace clockpigeon
