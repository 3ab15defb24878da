#include "core_join.h"

#include <cstring>

#include "core_png.h"

namespace clockpigeon {

namespace {

// How values are held, which all bands must agree in.
struct form {
  png_uint_32 width = 0, height = 0;
  int depth = 0, colour = 0;
  bool interlaced = false;
  explicit form(const png_reader &r)
      : width(png_get_image_width(r.png, r.info)),
        height(png_get_image_height(r.png, r.info)),
        depth(png_get_bit_depth(r.png, r.info)),
        colour(png_get_color_type(r.png, r.info)),
        interlaced(png_get_interlace_type(r.png, r.info) != PNG_INTERLACE_NONE) {}
  bool alike(const form &o) const { return width == o.width && depth == o.depth && colour == o.colour; }
};

// The whole has what its first band says of its colours.
bool begin_write(png_writer &w, std::FILE *f, const png_reader &r, const form &of, png_uint_32 height) {
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

bool same_palette(const png_reader &a, const png_reader &b) {
  png_colorp one = nullptr, other = nullptr;
  int n = 0, m = 0;
  png_get_PLTE(a.png, a.info, &one, &n);
  png_get_PLTE(b.png, b.info, &other, &m);
  return n == m && (n == 0 || std::memcmp(one, other, n * sizeof(png_color)) == 0);
}

}  // namespace

std::string join_png(const std::vector<band> &bands, long height, const std::string &to) {
  const std::string unread = " cannot be read: ", unwritten = to + " cannot be written";
  png_reader head;  // of the first band, for what the whole says of its colours
  open_file first(bands.front().path, "rb");
  if (!first.f) return bands.front().path + " cannot be opened";
  if (!head.head(first.f)) return bands.front().path + unread + head.t.says;
  const form of(head);
  open_file out(to, "wb");
  png_writer w;
  if (!out.f) return unwritten;
  if (!begin_write(w, out.f, head, of, static_cast<png_uint_32>(height))) return unwritten + ": " + w.t.says;
  std::vector<unsigned char> row(png_get_rowbytes(head.png, head.info));
  for (const band &b : bands) {
    png_reader r;
    open_file in(b.path, "rb");
    if (!in.f) return b.path + " cannot be opened";
    if (!r.head(in.f)) return b.path + unread + r.t.says;
    const form own(r);
    if (own.interlaced) return b.path + " is interlaced";
    if (!own.alike(of) || !same_palette(head, r)) {
      return b.path + " has another width, depth or colours than the first band";
    }
    const long many = b.last - b.first + 1;
    const bool whole = static_cast<long>(own.height) == height;
    if (!whole && static_cast<long>(own.height) != many) {
      return b.path + " has " + std::to_string(own.height) + " rows, its band " + std::to_string(many);
    }
    if (whole && !r.rows(row.data(), b.first - 1)) return b.path + unread + r.t.says;
    for (long k = 0; k < many; ++k) {
      if (!r.rows(row.data(), 1)) return b.path + unread + r.t.says;
      if (!w.row(row.data())) return unwritten + ": " + w.t.says;
    }
  }
  if (!w.end()) return unwritten + ": " + w.t.says;
  return std::fflush(out.f) == 0 ? "" : unwritten;
}

}  // namespace clockpigeon
