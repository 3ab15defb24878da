#include "core_noise.h"

#include <algorithm>
#include <cmath>

namespace clockpigeon {

namespace {

// Squared differences of a tile that may turn out to be outliers, with their places: outliers are removed from these,
// so that the pictures need no second pass. Values below the largest of a fair number, or below the usual size in the
// whole tile so far, are not kept.
class candidates {
 public:
  struct entry {
    double square;
    int y, x, channel;
  };

  // Nothing of at most `least` is kept.
  explicit candidates(double least = 0) : least_(least) {}

  double least() const { return least_; }
  double sum() const { return sum_; }

  // The final test of an outlier asks for a part of what the squares of all others come to, and they only grow.
  void raise(double squares_so_far, double usual_over_squares) {
    least_ = std::max(least_, usual_over_squares * (squares_so_far - sum_));
  }

  void put(double square, int y, int x, int channel) {
    entries_[count_++] = {square, y, x, channel};
    sum_ += square;
    if (count_ < kRoom) return;
    std::nth_element(entries_, entries_ + kMost - 1, entries_ + count_, larger);
    least_ = std::max(least_, entries_[kMost - 1].square);
    count_ = kMost;
    sum_ = 0;
    for (int i = 0; i < count_; ++i) sum_ += entries_[i].square;
  }

  void sort() { std::sort(entries_, entries_ + count_, larger); }
  double largest() const {
    double most = 0;
    for (int i = 0; i < count_; ++i) most = std::max(most, entries_[i].square);
    return most;
  }
  const entry *begin() const { return entries_; }
  const entry *end() const { return entries_ + count_; }

 private:
  static bool larger(const entry &p, const entry &q) { return p.square > q.square; }
  static constexpr int kMost = 24, kRoom = 72;
  entry entries_[kRoom];
  int count_ = 0;
  double least_, sum_ = 0;
};

// Mean squared difference in the ring two pixels away from (y, x): what is usual just there. The pixels between may
// hold the foot of the same outlier, where the renderer spreads samples over neighbours.
double ring_mean(const picture_pair &pair, int y, int x, int channel) {
  double total = 0;
  int count = 0;
  for (int dx = -2; dx <= 2; ++dx) {
    for (int dy = -2; dy <= 2; ++dy) {
      const bool ring = dx == -2 || dx == 2 || dy == -2 || dy == 2;
      if (!ring || y + dy < 0 || y + dy >= pair.height || x + dx < 0 || x + dx >= pair.width) continue;
      const double d = pair.difference(y + dy, x + dx, channel);
      total += d * d;
      ++count;
    }
  }
  return count ? total / count : 0;
}

// An outlier stands out from the rest of its tile and from its ring. They are removed one by one, largest first, and
// the rest is judged again (the order of Rosner 1983, Technometrics 25, 165-172).
void take_outliers_away(const picture_pair &pair, double times, candidates &top, tile_sums &t) {
  t.kept = t.values;
  t.kept_squares = t.squares;
  const double most = top.largest();
  if (!(most * (t.kept - 1) > times * times * (t.squares - most))) return;
  top.sort();
  std::vector<std::pair<int, int>> pixels;
  for (const candidates::entry &e : top) {
    const double rest = t.kept_squares - e.square;
    if (!(e.square * (t.kept - 1) > times * times * rest) || t.kept < 2) break;
    if (!(e.square > times * times * ring_mean(pair, e.y, e.x, e.channel))) continue;
    t.kept -= 1;
    t.kept_squares = std::max(rest, 0.0);
    t.worst = std::max(t.worst, e.square);
    pixels.emplace_back(e.y, e.x);
  }
  std::sort(pixels.begin(), pixels.end());
  t.outliers = int(std::unique(pixels.begin(), pixels.end()) - pixels.begin());
}

// Two numbers side by side, as every processor of the last twenty years works on at once; compilers that know no such
// types (the attribute is GCC's and Clang's) would need one more form of run().
typedef double pair2 __attribute__((vector_size(16)));

pair2 load(const double *p) {
  pair2 v;
  __builtin_memcpy(&v, p, sizeof v);
  return v;
}

struct run_sums {
  pair2 a = {0, 0}, b = {0, 0}, squares = {0, 0};
};

// A run of one column within a tile: `n` values of both pictures. Blocks of eight are looked at for large differences.
void run(const double *a, const double *b, int n, int y, int x, int channel, run_sums &sums, candidates &most) {
  constexpr int block = 8;
  int i = 0;
  for (; i + block <= n; i += block) {
    pair2 least = {most.least(), most.least()};
    pair2 squares[block / 2];
    auto over = load(a) > load(a);  // none
    for (int k = 0; k < block / 2; ++k) {
      const pair2 va = load(a + i + 2 * k), vb = load(b + i + 2 * k), d = va - vb, square = d * d;
      sums.a += va;
      sums.b += vb;
      sums.squares += square;
      squares[k] = square;
      over |= square > least;
    }
    if (over[0] | over[1]) {
      for (int k = 0; k < block; ++k) {
        const double square = squares[k / 2][k % 2];
        if (square > most.least()) most.put(square, y + i + k, x, channel);
      }
    }
  }
  for (; i < n; ++i) {
    const double d = a[i] - b[i], square = d * d;
    sums.a[0] += a[i];
    sums.b[0] += b[i];
    sums.squares[0] += square;
    if (square > most.least()) most.put(square, y + i, x, channel);
  }
}

// Products of the differences of neighbours in a run, down and across to the column on the left, and the squares of the
// differences there: of one column in eight, which is plenty for a correlation.
void run_neighbours(const picture_pair &pair, const double *a, const double *b, int n, tile_sums &t) {
  const double *left_a = a - pair.height, *left_b = b - pair.height;
  double down = 0, across = 0, near = 0, fourths = 0, above = 0;
  for (int i = 0; i < n; ++i) {
    const double d = a[i] - b[i];
    down += d * above;
    across += d * (left_a[i] - left_b[i]);
    near += d * d;
    fourths += d * d * d * d;
    above = d;
  }
  t.down += down;
  t.across += across;
  t.near_squares += near;
  t.near_fourths += fourths;
  t.near_values += n;
  t.down_pairs += n - 1;
  t.across_pairs += n;
}

// Searches again for candidates in a tile whose sum of squares is known.
candidates look_again(const picture_pair &pair, int y0, int y1, int x0, int x1, double squares, double part) {
  candidates top;
  for (int channel = 0; channel < pair.channels; ++channel) {
    for (int x = x0; x < x1; ++x) {
      top.raise(squares, part);
      for (int y = y0; y < y1; ++y) {
        const double d = pair.difference(y, x, channel), square = d * d;
        if (square > top.least()) top.put(square, y, x, channel);
      }
    }
  }
  return top;
}

// Squares of the upright strips of a column of tiles: a tile is cut into four, each at least four pixels wide.
// Correlated values within a strip (the channels of a pixel, neighbours under one pixel filter) are in its sum, so that
// the differences between strips give the error of the tile's sum of squares.
class strip_sums {
 public:
  strip_sums(int tile, int tile_rows)
      : width_(std::max(4, tile / 4)), count_((tile + width_ - 1) / width_), sums_(size_t(tile_rows) * count_) {}

  void clear() { std::fill(sums_.begin(), sums_.end(), 0.0); }
  void add(int tile_row, int column, double squares) { sums_[size_t(tile_row) * count_ + column / width_] += squares; }

  void finish(int tile_row, int columns, tile_sums &t) const {
    const double *s = &sums_[size_t(tile_row) * count_];
    const int whole = columns / width_;
    t.strips = whole;
    for (int k = 1; k < whole; ++k) t.strip_steps += (s[k] - s[k - 1]) * (s[k] - s[k - 1]);
  }

 private:
  const int width_, count_;
  std::vector<double> sums_;
};

}  // namespace

std::vector<tile_sums> tile_noise(const picture_pair &pair, const noise_rules &rules) {
  const int size = rules.tile;
  const int tile_rows = (pair.height + size - 1) / size, tile_columns = (pair.width + size - 1) / size;
  std::vector<tile_sums> tiles(size_t(tile_rows) * tile_columns);
  // A tile is first taken to be about as noisy as the one on its left; where it turns out so much quieter that an
  // outlier may have been passed over, it is looked at again.
  std::vector<double> guess(tile_rows, 0.0);
  std::vector<candidates> top(tile_rows);
  const double part = rules.times * rules.times / (double(size) * size * pair.channels);
  strip_sums strips(size, tile_rows);
  for (int tx = 0; tx < tile_columns; ++tx) {
    strips.clear();
    for (int ty = 0; ty < tile_rows; ++ty) top[ty] = candidates(guess[ty]);
    const int from = tx * size, to = std::min(pair.width, from + size);
    for (int channel = 0; channel < pair.channels; ++channel) {
      for (int x = from; x < to; ++x) {
        const size_t start = size_t(pair.height) * (x + size_t(pair.width) * channel);
        for (int ty = 0; ty < tile_rows; ++ty) {
          tile_sums &t = tiles[size_t(ty) * tile_columns + tx];
          const int first = ty * size, n = std::min(pair.height, first + size) - first;
          const double *a = pair.a + start + first, *b = pair.b + start + first;
          run_sums sums;
          top[ty].raise(t.squares, part);
          run(a, b, n, first, x, channel, sums, top[ty]);
          t.values += n;
          t.sum_a += sums.a[0] + sums.a[1];
          t.sum_b += sums.b[0] + sums.b[1];
          t.squares += sums.squares[0] + sums.squares[1];
          strips.add(ty, x - from, sums.squares[0] + sums.squares[1]);
          if (x % 8 == 1 && x > from) run_neighbours(pair, a, b, n, t);
        }
      }
    }
    for (int ty = 0; ty < tile_rows; ++ty) {
      tile_sums &t = tiles[size_t(ty) * tile_columns + tx];
      const int first = ty * size, last = std::min(pair.height, first + size);
      if (part * (t.squares - top[ty].sum()) < guess[ty]) {
        top[ty] = look_again(pair, first, last, from, to, t.squares, part);
      }
      take_outliers_away(pair, rules.times, top[ty], t);
      strips.finish(ty, to - from, t);
      guess[ty] = part * t.kept_squares / 4;
    }
  }
  return tiles;
}

}  // namespace clockpigeon
