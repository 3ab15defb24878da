// Sums are taken in any order, so that they are taken many at a time; all values are finite, and whether they are is seen
// by their bits. It stands before all headers, whose functions would else not be joined with those here.
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3,no-math-errno,no-trapping-math,associative-math,no-signed-zeros,finite-math-only")
#endif
#include "core_look.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <memory>

#include "core_png.h"

namespace clockpigeon {

namespace {

// FNV-1a, 64 bits, over eight bytes at a time (Fowler, Noll & Vo).
uint64_t hashed(uint64_t h, const unsigned char *bytes, size_t n) {
  for (; n >= 8; bytes += 8, n -= 8) {
    uint64_t word;
    std::memcpy(&word, bytes, 8);
    h = (h ^ word) * 0x100000001b3ULL;
  }
  for (; n; ++bytes, --n) h = (h ^ *bytes) * 0x100000001b3ULL;
  return h;
}

constexpr uint64_t hash_begin = 0xcbf29ce484222325ULL;

// A pixel of the colour that stands for a missing texture, lit or in shade: red and blue alike, hardly any green.
inline bool is_strange(float r, float g, float b) {
  const float low = std::min(r, b), high = std::max(r, b);
  return (low > 0.12f) & (high - low < 0.2f * high) & (g < 0.12f * low);
}

inline bool is_number(float x) {
  uint32_t bits;
  std::memcpy(&bits, &x, 4);
  return (bits & 0x7f800000u) != 0x7f800000u;
}

// Takes a picture row by row, from the top.
class looker {
 public:
  looker(picture_look &out, int width, int height) : o_(out), w_(width), h_(height) {
    o_.columns = std::max(1, std::min(look_columns, width / 4));
    o_.rows = std::max(1, std::min(look_rows, height / 4));
    const size_t cells = size_t(o_.columns) * o_.rows;
    o_.grid.assign(cells, 0);
    o_.rough.assign(cells, 0);
    o_.strange.assign(cells, 0);
    o_.low = 1e30;
    o_.high = -1e30;
    all_.assign(size_t(w_) * h_, 0);
    for (int k = 0; k < 3; ++k) {
      bend_[k].assign(w_, 0);
      wide_[k].assign(w_, 0);
    }
    near_.assign(w_, 0);
    for (int k = 0; k < 4; ++k) {
      mean_[k].assign(o_.columns, 0);
      differ_[k].assign(o_.columns, 0);
    }
    edge_.resize(o_.columns + 1);
    for (int c = 0; c <= o_.columns; ++c) edge_[c] = int(int64_t(c) * w_ / o_.columns);
    cell_height_.assign(o_.rows, 0);
    cell_inner_.assign(o_.rows, 0);
    work_.resize(o_.columns);
    slopes_.resize(o_.columns);
    thin_.resize(o_.columns);
  }

  float *line(int row) { return &all_[size_t(row) * w_]; }

  // Place of the next row's brightness.
  float *next() { return line(row_); }

  // The row in next() is whole; `strange` says whether any of it was, in which case `test(x)` tells of each.
  template <class Test>
  void take(bool strange, const Test &test) {
    float *y = next();
    const int cell_row = int(int64_t(row_) * o_.rows / h_);
    float *cell = &o_.grid[size_t(cell_row) * o_.columns];
    float low = y[0], high = y[0];
    for (int x = 0; x < w_; ++x) {
      low = std::min(low, y[x]);
      high = std::max(high, y[x]);
    }
    o_.low = std::min(o_.low, double(low));
    o_.high = std::max(o_.high, double(high));
    float *mean = mean_[row_ % 4].data(), *differ = differ_[row_ % 4].data();
    const float *above = line(std::max(0, row_ - 1));
    for (int c = 0; c < o_.columns; ++c) {
      float sum = 0, apart = 0;
      for (int x = edge_[c]; x < edge_[c + 1]; ++x) {
        sum += y[x];
        apart += std::fabs(y[x] - above[x]);
      }
      const float n = float(edge_[c + 1] - edge_[c]);
      cell[c] += sum / n;
      mean[c] = sum / n;
      differ[c] = apart / n;
    }
    ++cell_height_[cell_row];
    if (strange) {
      float *found = &o_.strange[size_t(cell_row) * o_.columns];
      for (int c = 0; c < o_.columns; ++c) {
        for (int x = edge_[c]; x < edge_[c + 1]; ++x) found[c] += test(x) ? 1.0f / (edge_[c + 1] - edge_[c]) : 0.0f;
      }
    }
    if (w_ > 2) bends(y);
    if (row_ >= 2 && w_ > 2) middle();
    if (row_ >= 3) between(row_ - 1);
    ++row_;
  }

  void end() {
    for (int r = 0; r < o_.rows; ++r) for (int c = 0; c < o_.columns; ++c) {
      const size_t k = size_t(r) * o_.columns + c;
      if (cell_height_[r]) o_.grid[k] /= cell_height_[r], o_.strange[k] /= cell_height_[r];
      if (cell_inner_[r]) o_.rough[k] /= cell_inner_[r];
    }
    double sum = 0;
    for (int r = 0; r < o_.rows; ++r) for (int c = 0; c < o_.columns; ++c) {
      sum += double(o_.grid[size_t(r) * o_.columns + c]) * cell_height_[r] * (edge_[c + 1] - edge_[c]);
    }
    o_.mean = sum / (double(w_) * h_);
    o_.step.resize(std::max(0, h_ - 1), 0);
    for (auto part : {&o_.jag, &o_.slope, &o_.fold}) part->resize(std::max(0, h_ - 1), 0);
    slips();
  }

 private:
  // Where rows fit less than those around them: do they fit when one is moved aside?
  void slips() {
    std::vector<int> rows;
    for (int r = 0; r < int(o_.jag.size()); ++r) if (o_.jag[r] > 0.004f) rows.push_back(r);
    const int most = std::min(8, int(rows.size())), reach = std::min(48, w_ / 8);
    std::partial_sort(rows.begin(), rows.begin() + most, rows.end(),
                      [&](int a, int b) { return o_.jag[a] > o_.jag[b]; });
    for (int i = 0; i < most; ++i) {
      const float *a = line(rows[i]), *b = line(rows[i] + 1);
      float whole = 0, best = 1e9f;
      int by = 0;
      for (int k = -reach; k <= reach; ++k) {
        const int from = std::max(0, -k), to = std::min(w_, w_ - k);
        float sum = 0;
        for (int x = from; x < to; ++x) sum += std::fabs(a[x + k] - b[x]);
        sum /= float(to - from);
        if (k == 0) whole = sum;
        if (sum < best) best = sum, by = k;
      }
      const float gain = std::min(whole - best, o_.jag[rows[i]]);
      if (gain > o_.slip_gain && (by > 1 || by < -1)) {
        o_.slip_gain = gain, o_.slip_whole = whole, o_.slip_row = rows[i] + 1, o_.slip_by = by;
      }
    }
  }

  // Parts of a row that the Laplacian and the spikes need.
  void bends(const float *y) {
    float *bend = bend_[row_ % 3].data(), *wide = wide_[row_ % 3].data();
    for (int x = 1; x + 1 < w_; ++x) {
      bend[x] = y[x - 1] - 2 * y[x] + y[x + 1];
      wide[x] = std::max(std::max(y[x - 1], y[x + 1]), y[x]);
    }
  }

  // The row before the last, which has both its neighbours.
  void middle() {
    const float *a = bend_[(row_ + 1) % 3].data(), *b = bend_[(row_ + 2) % 3].data(), *c = bend_[row_ % 3].data();
    const float *y = line(row_ - 1);
    const float *over = wide_[(row_ + 1) % 3].data(), *under = wide_[row_ % 3].data();
    const int cell_row = int(int64_t(row_ - 1) * o_.rows / h_);
    float *cell = &o_.rough[size_t(cell_row) * o_.columns];
    for (int k = 0; k < o_.columns; ++k) {
      const int from = std::max(1, edge_[k]), to = std::min(w_ - 1, edge_[k + 1]);
      float sum = 0;
      for (int x = from; x < to; ++x) sum += std::fabs(a[x] - 2 * b[x] + c[x]);
      if (to > from) cell[k] += sum / float(to - from);
    }
    ++cell_inner_[cell_row];
    float most = 0;
    for (int x = 1; x + 1 < w_; ++x) {
      const float around = std::max(std::max(y[x - 1], y[x + 1]), std::max(over[x], under[x]));
      near_[x] = y[x] - around;
      most = std::max(most, near_[x]);
    }
    if (most > spike_least) count_spikes(most);
  }

  void count_spikes(float most) {
    for (int x = 1; x + 1 < w_; ++x) {
      if (near_[x] <= spike_least) continue;
      ++o_.spikes;
      o_.bright_spikes += near_[x] > 2 * spike_least;
      if (near_[x] > o_.spike_by) o_.spike_by = near_[x], o_.spike_row = row_, o_.spike_column = x + 1;
    }
  }

  // Between row r - 1 and row r, relative to the rows around these.
  void between(int r) {
    const auto &m0 = mean_[(r + 2) % 4], &m1 = mean_[(r + 3) % 4], &m2 = mean_[r % 4], &m3 = mean_[(r + 1) % 4];
    const auto &d1 = differ_[(r + 3) % 4], &d2 = differ_[r % 4], &d3 = differ_[(r + 1) % 4];
    int lit = 0, shown = 0;
    float jag = 0, fold = 0;
    for (int c = 0; c < o_.columns; ++c) {
      const float low = std::min(d1[c], d3[c]), high = std::max(d1[c], d3[c]), light = std::max(m1[c], m2[c]);
      jag += std::min(0.25f, std::max(0.0f, d2[c] - high));
      fold += std::min(0.25f, std::max(0.0f, high + d2[c] - 2 * low));
      if (light >= 0.02f) work_[lit++] = m2[c] - m1[c] - 0.5f * (m1[c] - m0[c] + m3[c] - m2[c]);
      if (light < 0.004f) continue;
      slopes_[shown] = m3[c] - m0[c];
      thin_[shown++] = m2[c] - m1[c];
    }
    while (int(o_.step.size()) < r - 1) {
      for (auto part : {&o_.step, &o_.jag, &o_.slope, &o_.fold}) part->push_back(0);
    }
    // A step must be visible in most of the width; a smaller part suffices to find it in the neighbouring
    // pictures.
    o_.step.push_back(lit * 10 >= o_.columns * 3 && lit >= 4 ? common(work_, lit, lit / 4) : 0);
    o_.slope.push_back(!shown ? 0 : std::max(std::fabs(common(slopes_, shown, shown / 2)),
                                             1.5f * std::fabs(common(thin_, shown, shown / 2))));
    o_.jag.push_back(jag / o_.columns);
    o_.fold.push_back(fold / o_.columns);
  }

  // Lower bound of all but the `few` least of the values, of one sign; 0 without a common sign.
  static float common(std::vector<float> &x, int n, int few) {
    std::nth_element(x.begin(), x.begin() + few, x.begin() + n);
    if (x[few] > 0) return x[few];
    std::nth_element(x.begin(), x.begin() + (n - 1 - few), x.begin() + n);
    return std::min(0.0f, x[n - 1 - few]);
  }

  static constexpr float spike_least = 0.25f;
  picture_look &o_;
  const int w_, h_;
  int row_ = 0;
  std::vector<float> all_, bend_[3], wide_[3], near_, mean_[4], differ_[4], work_, slopes_, thin_;
  std::vector<int> edge_, cell_height_, cell_inner_;
};

// Whole numbers of 8 or 16 bits, `held` a pixel; the last of 2 or 4 is alpha.
class whole_rows {
 public:
  whole_rows(picture_look &out, looker &look, int held, int wide)
      : o_(out), look_(look), held_(held), wide_(wide), white_(wide == 16 ? 65535.0f : 255.0f) {
    alpha_ = held == 2 || held == 4 ? held - 1 : -1;
    o_.alpha = alpha_ < 0 ? 1 : 0;
    if (wide == 16) eight_.resize(size_t(out.width) * held);
  }

  void row(const unsigned char *bytes) {
    if (wide_ == 16) {
      for (size_t k = 0; k < eight_.size(); ++k) eight_[k] = uint16_t(bytes[2 * k] << 8 | bytes[2 * k + 1]);
      values(eight_.data());
    } else values(bytes);
  }

  void end() {
    const double n = double(o_.width) * o_.height * white_;
    o_.red = red_ / n, o_.green = green_ / n, o_.blue = blue_ / n;
  }

 private:
  template <class Value>
  void values(const Value *v) {
    float *y = look_.next();
    const int w = o_.width;
    const float part = 1 / white_;
    int strange = 0;
    uint64_t r = 0, g = 0, b = 0;
    if (held_ == 3) colours<3>(v, y, part, w, r, g, b, strange);
    else if (held_ == 4) colours<4>(v, y, part, w, r, g, b, strange);
    else {
      for (int x = 0; x < w; ++x) y[x] = v[size_t(x) * held_] * part, r += v[size_t(x) * held_];
      g = b = r;
    }
    if (alpha_ > 0) {
      Value most = 0;
      for (int x = 0; x < w; ++x) most = std::max(most, v[size_t(x) * held_ + alpha_]);
      o_.alpha = std::max(o_.alpha, double(most * part));
    }
    red_ += r, green_ += g, blue_ += b;
    look_.take(strange > 0, [&](int x) {
      const Value *p = v + size_t(x) * held_;
      return is_strange(p[0] * part, p[1] * part, p[2] * part);
    });
  }

  template <int Held, class Value>
  static void colours(const Value *v, float *y, float part, int w, uint64_t &red, uint64_t &green, uint64_t &blue,
                      int &strange) {
    uint32_t r = 0, g = 0, b = 0;  // 2^32 / 2^16 pixels of 16 bits in a row are enough for any picture
    int any = 0;
    for (int x = 0; x < w; ++x) {
      const int p = v[Held * x], q = v[Held * x + 1], s = v[Held * x + 2];
      y[x] = part * (0.2126f * p + 0.7152f * q + 0.0722f * s);
      r += p, g += q, b += s;
      any |= (8 * q < std::min(p, s)) & (p > 0);
    }
    red += r, green += g, blue += b;
    strange = any;
  }

  picture_look &o_;
  looker &look_;
  const int held_, wide_;
  const float white_;
  int alpha_;
  double red_ = 0, green_ = 0, blue_ = 0;
  std::vector<uint16_t> eight_;
};

// Numbers of linear light or of a display's, `held` a pixel.
class float_rows {
 public:
  float_rows(picture_look &out, looker &look, int held, bool linear)
      : o_(out), look_(look), held_(held), linear_(linear) {
    alpha_ = held == 2 || held == 4 ? held - 1 : -1;
    o_.alpha = alpha_ < 0 ? 1 : 0;
  }

  void row(float *v) {
    float *y = look_.next();
    const int w = o_.width;
    const bool colour = held_ >= 3;
    bool strange = false;
    for (int x = 0; x < w; ++x) {
      float *p = v + size_t(x) * held_;
      bool odd = false;
      for (int k = 0; k < held_; ++k) if (!is_number(p[k])) odd = true, p[k] = 0;
      if (odd && !o_.odd++) o_.odd_row = rows_ + 1, o_.odd_column = x + 1;
      const float r = p[0], g = colour ? p[1] : r, b = colour ? p[2] : r;
      red_ += r, green_ += g, blue_ += b;
      const float light = 0.2126f * r + 0.7152f * g + 0.0722f * b;
      y[x] = linear_ ? std::sqrt(std::min(std::max(light, 0.0f), 16.0f)) : light;
      strange |= colour && is_strange(r, g, b);
      if (alpha_ > 0) o_.alpha = std::max(o_.alpha, double(p[alpha_]));
    }
    look_.take(strange, [&](int x) {
      const float *p = v + size_t(x) * held_;
      return is_strange(p[0], p[1], p[2]);
    });
    ++rows_;
  }

  void end() {
    const double n = double(o_.width) * o_.height;
    o_.red = red_ / n, o_.green = green_ / n, o_.blue = blue_ / n;
  }

 private:
  picture_look &o_;
  looker &look_;
  const int held_;
  const bool linear_;
  int alpha_, rows_ = 0;
  double red_ = 0, green_ = 0, blue_ = 0;
};

bool png_colours(png_reader &r, int *space) {
  if (setjmp(png_jmpbuf(r.png))) return false;
  png_fixed_point gamma = 0;
  if (png_get_valid(r.png, r.info, PNG_INFO_iCCP)) *space = 2;
  else if (png_get_valid(r.png, r.info, PNG_INFO_sRGB)) *space = 1;
  else if (png_get_gAMA_fixed(r.png, r.info, &gamma)) *space = int(gamma);
  png_set_expand(r.png);  // palettes to colours, few bits to eight
  png_set_interlace_handling(r.png);
  png_read_update_info(r.png, r.info);
  return true;
}

bool png_passes(png_reader &r, std::vector<unsigned char> &all, size_t row, int height) {
  if (setjmp(png_jmpbuf(r.png))) return false;
  for (int pass = 0; pass < 7; ++pass) for (int y = 0; y < height; ++y) png_read_row(r.png, &all[row * y], nullptr);
  return true;
}

// Is a picture of this size decoded? Not if its file cannot fill it (deflate packs a thousand to one at best), or if it
// has far more pixels than ordered.
bool has_sane_size(picture_look &out, long bytes, double most_pixels) {
  const double pixels = double(out.width) * out.height;
  if (double(bytes) * 1100 < pixels / 8) out.fault = "says a size that its data cannot fill";
  else if (pixels > most_pixels) {
    out.fault = "has " + std::to_string(out.width) + " x " + std::to_string(out.height) + " pixels, too many to look at";
  }
  return out.fault.empty();
}

void look_at_png(std::FILE *file, double most_pixels, picture_look &out) {
  std::fseek(file, 0, SEEK_END);
  const long length = std::ftell(file);
  std::rewind(file);
  png_reader r;
  if (!r.png || !r.head(file)) {
    out.fault = r.t.says;
    return;
  }
  out.width = int(png_get_image_width(r.png, r.info));
  out.height = int(png_get_image_height(r.png, r.info));
  out.channels = png_get_channels(r.png, r.info);
  out.depth = png_get_bit_depth(r.png, r.info);
  if (png_get_color_type(r.png, r.info) == PNG_COLOR_TYPE_PALETTE) out.channels = 3, out.depth = 8;
  if (!has_sane_size(out, length, most_pixels)) return;
  const bool interlaced = png_get_interlace_type(r.png, r.info) != PNG_INTERLACE_NONE;
  if (!png_colours(r, &out.space)) {
    out.fault = r.t.says;
    return;
  }
  const size_t bytes = png_get_rowbytes(r.png, r.info);
  std::vector<unsigned char> row(interlaced ? bytes * out.height : bytes);
  if (interlaced && !png_passes(r, row, bytes, out.height)) {
    out.fault = r.t.says;
    return;
  }
  looker look(out, out.width, out.height);
  whole_rows rows(out, look, png_get_channels(r.png, r.info), png_get_bit_depth(r.png, r.info));
  uint64_t hash = hash_begin;
  for (int y = 0; y < out.height; ++y) {
    unsigned char *at = interlaced ? &row[bytes * y] : row.data();
    if (!interlaced && !r.rows(at, 1)) {
      out.fault = r.t.says;
      return;
    }
    hash = hashed(hash, at, bytes);
    rows.row(at);
  }
  if (!r.end()) {
    out.fault = r.t.says;
    return;
  }
  out.hash = hash;
  rows.end();
  look.end();
}

// Three words behind `PF` or `Pf`, each ended by one blank; the values follow.
bool pfm_words(std::FILE *file, picture_look &out, bool *big) {
  char kind[3] = "";
  double width = 0, height = 0, scale = 0;
  if (std::fscanf(file, "%2s %lf %lf %lf", kind, &width, &height, &scale) != 4 || std::fgetc(file) == EOF) return false;
  const bool colour = !std::strcmp(kind, "PF");
  if ((!colour && std::strcmp(kind, "Pf")) || !(width >= 1 && width < 1e6 && height >= 1 && height < 1e6)) return false;
  out.width = int(width), out.height = int(height), out.channels = colour ? 3 : 1, out.depth = 32, out.floats = true;
  *big = scale > 0;
  return true;
}

void turn_bytes(unsigned char *bytes, size_t values) {
  for (size_t k = 0; k < values; ++k, bytes += 4) {
    std::swap(bytes[0], bytes[3]);
    std::swap(bytes[1], bytes[2]);
  }
}

// The bottom row is the first in the file.
void look_at_pfm(std::FILE *file, double most_pixels, picture_look &out) {
  bool big = false;
  if (!pfm_words(file, out, &big)) {
    out.fault = "has no header of a float map";
    return;
  }
  const long begin = std::ftell(file);
  const size_t row = size_t(out.width) * out.channels;
  std::fseek(file, 0, SEEK_END);
  if (std::ftell(file) - begin < long(row * 4 * out.height)) {
    out.fault = "is cut off";
    return;
  }
  if (!has_sane_size(out, std::ftell(file), most_pixels)) return;
  std::vector<float> values(row);
  looker look(out, out.width, out.height);
  float_rows rows(out, look, out.channels, true);
  uint64_t hash = hash_begin;
  for (int y = out.height - 1; y >= 0; --y) {
    std::fseek(file, begin + long(row * 4 * y), SEEK_SET);
    if (std::fread(values.data(), 4, row, file) != row) {
      out.fault = "is cut off";
      return;
    }
    unsigned char *bytes = reinterpret_cast<unsigned char *>(values.data());
    if (big) turn_bytes(bytes, row);
    hash = hashed(hash, bytes, row * 4);
    rows.row(values.data());
  }
  out.hash = hash;
  rows.end();
  look.end();
}

}  // namespace

picture_look look_at_picture(const std::string &path, double most_pixels) {
  picture_look out;
  const open_file file(path, "rb");
  if (!file.f) {
    out.fault = "cannot be opened";
    return out;
  }
  const int first = std::fgetc(file.f);
  std::rewind(file.f);
  if (first == 'P') look_at_pfm(file.f, most_pixels, out);
  else look_at_png(file.f, most_pixels, out);
  return out;
}

picture_look look_at_values(const double *x, int height, int width, int channels, bool linear) {
  picture_look out;
  out.width = width, out.height = height, out.channels = channels, out.floats = linear;
  std::vector<float> row(size_t(width) * channels);
  looker look(out, width, height);
  float_rows rows(out, look, channels, linear);
  uint64_t hash = hash_begin;
  const size_t plane = size_t(height) * width;
  for (int y = 0; y < height; ++y) {
    for (int c = 0; c < width; ++c) for (int k = 0; k < channels; ++k) {
      row[size_t(c) * channels + k] = float(x[plane * k + size_t(c) * height + y]);
    }
    hash = hashed(hash, reinterpret_cast<const unsigned char *>(row.data()), row.size() * 4);
    rows.row(row.data());
  }
  out.hash = hash;
  rows.end();
  look.end();
  return out;
}

picture_look head_of_png(const std::string &path) {
  picture_look out;
  const open_file file(path, "rb");
  unsigned char head[26], tail[12];
  static const unsigned char begin[] = {137, 80, 78, 71, 13, 10, 26, 10}, finish[] = {'I', 'E', 'N', 'D'};
  if (!file.f) out.fault = "cannot be opened";
  else if (std::fread(head, 1, 26, file.f) != 26) out.fault = "is cut off";
  else if (std::memcmp(head, begin, 8) || std::memcmp(head + 12, "IHDR", 4)) out.fault = "does not begin as a PNG does";
  if (!out.fault.empty()) return out;
  const auto word = [&](int k) {
    return int(uint32_t(head[k]) << 24 | head[k + 1] << 16 | head[k + 2] << 8 | head[k + 3]);
  };
  out.width = word(16), out.height = word(20);
  static const int held[] = {1, 0, 3, 3, 2, 0, 4};
  out.channels = head[25] < 7 ? held[head[25]] : 0;
  out.depth = head[25] == 3 ? 8 : head[24];
  if (std::fseek(file.f, -12, SEEK_END) || std::fread(tail, 1, 12, file.f) != 12 || std::memcmp(tail + 4, finish, 4)) {
    out.fault = "is cut off";
  }
  return out;
}

}  // namespace clockpigeon
