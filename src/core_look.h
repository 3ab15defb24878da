// One pass over a picture: what is in it, as far as that tells a good frame from a bad one.
#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace clockpigeon {

// Brightness here is as a display shows it: 0 is black, 1 white. Of float pictures, which hold linear light, it is the
// root, and ends at 4.
struct picture_look {
  std::string fault;                         // why it cannot be read to its end; empty: it can
  int width = 0, height = 0, channels = 0, depth = 0;
  bool floats = false;
  int space = 0;                             // what a PNG says of its colours: 0 nothing, 1 sRGB, 2 a profile of its
                                             // own, else its gamma times 100,000
  uint64_t hash = 0;                         // of all values
  double low = 0, high = 0, mean = 0;        // of brightness
  double red = 0, green = 0, blue = 0;       // means of the channels
  double alpha = 1;                          // the most of it
  long odd = 0;                              // values that are no numbers, or endless
  int odd_row = 0, odd_column = 0;           // the first of these, from 1
  long spikes = 0, bright_spikes = 0;        // pixels much brighter than all their neighbours: by a quarter, by a half
  int spike_row = 0, spike_column = 0;       // the one that stands out most
  float spike_by = 0;
  int slip_row = 0, slip_by = 0;             // the row above which pixels are shifted by this many columns against those below it,
  float slip_gain = 0, slip_whole = 0;       // and how much less the two rows differ moved so, of how much
  int columns = 0, rows = 0;                 // blocks of the grids
  std::vector<float> grid, rough, strange;   // of each block, from the top: brightness, mean absolute Laplacian, and
                                             // the share of its pixels that have the colour of missing textures
  // Between each row and the next: how much brightness steps across the whole width, and how much more the rows differ
  // than those around them; and as much over three rows on, where what was sharp in one picture is spread in the next.
  std::vector<float> step, jag, slope, fold;
};

constexpr int look_columns = 32, look_rows = 48;

// A PNG or a float map; one of more than `most_pixels` is a fault and is not decoded.
picture_look look_at_picture(const std::string &path, double most_pixels);

// Values height x width x channels, column by column, of linear light or as for a display.
picture_look look_at_values(const double *x, int height, int width, int channels, bool linear);

// Size and kind of a PNG by its header, and whether its file ends as one does.
picture_look head_of_png(const std::string &path);

}  // namespace clockpigeon
