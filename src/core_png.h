// PNG files by libpng, row by row, without anything that libpng's longjmp could pass over.
#pragma once
#include <png.h>

#include <cstdio>
#include <string>

namespace clockpigeon {

struct open_file {
  open_file(const std::string &path, const char *mode) : f(std::fopen(path.c_str(), mode)) {}
  ~open_file() {
    if (f) std::fclose(f);
  }
  open_file(const open_file &) = delete;
  open_file &operator=(const open_file &) = delete;
  std::FILE *f;
};

// Message of libpng when it gives up.
struct png_trouble {
  char says[200] = "";
};

inline void png_gives_up(png_structp png, png_const_charp says) {
  std::snprintf(static_cast<png_trouble *>(png_get_error_ptr(png))->says, sizeof(png_trouble::says), "%s", says);
  png_longjmp(png, 1);
}

inline void png_passes_over(png_structp, png_const_charp) {}

struct png_reader {
  png_structp png = nullptr;
  png_infop info = nullptr;
  png_trouble t;
  png_reader() : png(png_create_read_struct(PNG_LIBPNG_VER_STRING, &t, png_gives_up, png_passes_over)) {
    if (png) info = png_create_info_struct(png);
  }
  ~png_reader() { png_destroy_read_struct(&png, &info, nullptr); }
  png_reader(const png_reader &) = delete;
  png_reader &operator=(const png_reader &) = delete;

  // Each returns false where libpng gave up; `t.says` says why.
  bool head(std::FILE *f) {
    if (setjmp(png_jmpbuf(png))) return false;
    png_init_io(png, f);
    png_read_info(png, info);
    return true;
  }
  bool rows(unsigned char *row, long many) {
    if (setjmp(png_jmpbuf(png))) return false;
    for (long k = 0; k < many; ++k) png_read_row(png, row, nullptr);
    return true;
  }
  bool end() {
    if (setjmp(png_jmpbuf(png))) return false;
    png_read_end(png, nullptr);
    return true;
  }
};

struct png_writer {
  png_structp png = nullptr;
  png_infop info = nullptr;
  png_trouble t;
  png_writer() : png(png_create_write_struct(PNG_LIBPNG_VER_STRING, &t, png_gives_up, png_passes_over)) {
    if (png) info = png_create_info_struct(png);
  }
  ~png_writer() { png_destroy_write_struct(&png, &info); }
  png_writer(const png_writer &) = delete;
  png_writer &operator=(const png_writer &) = delete;

  bool row(const unsigned char *row) {
    if (setjmp(png_jmpbuf(png))) return false;
    png_write_row(png, row);
    return true;
  }
  bool end() {
    if (setjmp(png_jmpbuf(png))) return false;
    png_write_end(png, nullptr);
    return true;
  }
};

}  // namespace clockpigeon
