#include "core_join.h"

#include <png.h>

#include <cstdio>
#include <cstring>

namespace clockpigeon {

namespace {

struct file {
  explicit file(const std::string &path, const char *mode) : f(std::fopen(path.c_str(), mode)) {}
  ~file() {
    if (f) std::fclose(f);
  }
  file(const file &) = delete;
  file &operator=(const file &) = delete;
  std::FILE *f;
};

// What libpng says when it gives up; it comes back by longjmp, so that nothing with a destructor may be made between.
struct trouble {
  char says[200] = "";
};

void give_up(png_structp png, png_const_charp says) {
  std::snprintf(static_cast<trouble *>(png_get_error_ptr(png))->says, sizeof(trouble::says), "%s", says);
  png_longjmp(png, 1);
}

void pass_over(png_structp, png_const_charp) {}

// How values are held, which all bands must agree in.
struct form {
  png_uint_32 width = 0;
  int depth = 0, colour = 0;
  bool operator==(const form &o) const { return width == o.width && depth == o.depth && colour == o.colour; }
};

struct reader {
  png_structp png = nullptr;
  png_infop info = nullptr;
  trouble t;
  reader() : png(png_create_read_struct(PNG_LIBPNG_VER_STRING, &t, give_up, pass_over)) {
    if (png) info = png_create_info_struct(png);
  }
  ~reader() { png_destroy_read_struct(&png, &info, nullptr); }
  reader(const reader &) = delete;
  reader &operator=(const reader &) = delete;
};

struct writer {
  png_structp png = nullptr;
  png_infop info = nullptr;
  trouble t;
  writer() : png(png_create_write_struct(PNG_LIBPNG_VER_STRING, &t, give_up, pass_over)) {
    if (png) info = png_create_info_struct(png);
  }
  ~writer() { png_destroy_write_struct(&png, &info); }
  writer(const writer &) = delete;
  writer &operator=(const writer &) = delete;
};

bool begin_read(reader &r, std::FILE *f, form *found, png_uint_32 *height, bool *interlaced) {
  if (setjmp(png_jmpbuf(r.png))) return false;
  png_init_io(r.png, f);
  png_read_info(r.png, r.info);
  found->width = png_get_image_width(r.png, r.info);
  found->depth = png_get_bit_depth(r.png, r.info);
  found->colour = png_get_color_type(r.png, r.info);
  *height = png_get_image_height(r.png, r.info);
  *interlaced = png_get_interlace_type(r.png, r.info) != PNG_INTERLACE_NONE;
  return true;
}

// The whole has what its first band says of its colours.
bool begin_write(writer &w, std::FILE *f, const reader &r, const form &of, png_uint_32 height) {
  if (setjmp(png_jmpbuf(w.png))) return false;
  png_init_io(w.png, f);
  png_set_IHDR(w.png, w.info, of.width, height, of.depth, of.colour, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT,
               PNG_FILTER_TYPE_DEFAULT);
  png_colorp palette;
  int n;
  if (png_get_PLTE(r.png, r.info, &palette, &n)) png_set_PLTE(w.png, w.info, palette, n);
  png_bytep alpha;
  png_color_16p clear;
  if (png_get_tRNS(r.png, r.info, &alpha, &n, &clear)) png_set_tRNS(w.png, w.info, alpha, n, clear);
  double gamma;
  if (png_get_gAMA(r.png, r.info, &gamma)) png_set_gAMA(w.png, w.info, gamma);
  int intent;
  if (png_get_sRGB(r.png, r.info, &intent)) png_set_sRGB(w.png, w.info, intent);
  png_write_info(w.png, w.info);
  return true;
}

bool read_rows(reader &r, unsigned char *row, long rows) {
  if (setjmp(png_jmpbuf(r.png))) return false;
  for (long k = 0; k < rows; ++k) png_read_row(r.png, row, nullptr);
  return true;
}

bool write_row(writer &w, const unsigned char *row) {
  if (setjmp(png_jmpbuf(w.png))) return false;
  png_write_row(w.png, row);
  return true;
}

bool end_write(writer &w) {
  if (setjmp(png_jmpbuf(w.png))) return false;
  png_write_end(w.png, nullptr);
  return true;
}

bool same_palette(const reader &a, const reader &b) {
  png_colorp one = nullptr, other = nullptr;
  int n = 0, m = 0;
  png_get_PLTE(a.png, a.info, &one, &n);
  png_get_PLTE(b.png, b.info, &other, &m);
  return n == m && (n == 0 || std::memcmp(one, other, n * sizeof(png_color)) == 0);
}

}  // namespace

std::string join_png(const std::vector<band> &bands, long height, const std::string &to) {
  reader head;  // of the first band, for what the whole says of its colours
  file first(bands.front().path, "rb");
  form of, own;
  png_uint_32 rows = 0;
  bool interlaced = false;
  if (!first.f) return bands.front().path + " cannot be opened";
  if (!begin_read(head, first.f, &of, &rows, &interlaced)) {
    return bands.front().path + " cannot be read: " + head.t.says;
  }
  file out(to, "wb");
  writer w;
  if (!out.f) return to + " cannot be written";
  if (!begin_write(w, out.f, head, of, static_cast<png_uint_32>(height))) {
    return to + " cannot be written: " + w.t.says;
  }
  std::vector<unsigned char> row(png_get_rowbytes(head.png, head.info));
  for (const band &b : bands) {
    reader r;
    file in(b.path, "rb");
    if (!in.f) return b.path + " cannot be opened";
    if (!begin_read(r, in.f, &own, &rows, &interlaced)) return b.path + " cannot be read: " + r.t.says;
    if (interlaced) return b.path + " is interlaced";
    if (!(own == of) || !same_palette(head, r)) {
      return b.path + " has another width, depth or colours than the first band";
    }
    const long many = b.last - b.first + 1;
    const bool whole = static_cast<long>(rows) == height;
    if (!whole && static_cast<long>(rows) != many) {
      return b.path + " has " + std::to_string(rows) + " rows, its band " + std::to_string(many);
    }
    if (whole && b.first > 1 && !read_rows(r, row.data(), b.first - 1)) {
      return b.path + " cannot be read: " + r.t.says;
    }
    for (long k = 0; k < many; ++k) {
      if (!read_rows(r, row.data(), 1)) return b.path + " cannot be read: " + r.t.says;
      if (!write_row(w, row.data())) return to + " cannot be written: " + w.t.says;
    }
  }
  if (!end_write(w)) return to + " cannot be written: " + w.t.says;
  if (std::fflush(out.f) != 0) return to + " cannot be written";
  return "";
}

}  // namespace clockpigeon
