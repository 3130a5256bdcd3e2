#include "draw/sheet.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>
#include <pango/pangocairo.h>

namespace omnipar::draw {
namespace {

cairo_status_t append(void* to, const unsigned char* bytes, unsigned count) {
  static_cast<std::string*>(to)->append(reinterpret_cast<const char*>(bytes), count);
  return CAIRO_STATUS_SUCCESS;
}

}  // namespace

class Sheet::Impl {
 public:
  explicit Impl(Format format) : format_(format) {
    surface_ = format == Format::svg
                   ? cairo_svg_surface_create_for_stream(append, &bytes_, width, height)
                   : cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(width), static_cast<int>(height));
    cairo_ = cairo_create(surface_);
    cairo_set_source_rgb(cairo_, 1, 1, 1);
    cairo_paint(cairo_);
  }
  ~Impl() {
    cairo_destroy(cairo_);
    cairo_surface_destroy(surface_);
  }
  Impl(const Impl&) = delete;
  Impl& operator=(const Impl&) = delete;

  void colour(Colour c) { cairo_set_source_rgba(cairo_, c.red, c.green, c.blue, c.opacity); }

  void words(Spot at, std::string_view text, double size, Colour c, bool bold, bool to) {
    PangoLayout* layout = pango_cairo_create_layout(cairo_);
    PangoFontDescription* font = pango_font_description_from_string("DejaVu Sans");
    pango_font_description_set_absolute_size(font, size * PANGO_SCALE);
    pango_font_description_set_weight(font, bold ? PANGO_WEIGHT_BOLD : PANGO_WEIGHT_NORMAL);
    pango_layout_set_font_description(layout, font);
    pango_layout_set_text(layout, text.data(), static_cast<int>(text.size()));
    int wide = 0, high = 0;
    pango_layout_get_pixel_size(layout, &wide, &high);
    colour(c);
    cairo_move_to(cairo_, to ? at.x - wide : at.x, at.y - high / 2.0);
    pango_cairo_show_layout(cairo_, layout);
    pango_font_description_free(font);
    g_object_unref(layout);
  }

  void path(const std::vector<Spot>& spots) {
    cairo_new_path(cairo_);
    for (const Spot& spot : spots) cairo_line_to(cairo_, spot.x, spot.y);
  }
  void stroke(Colour c, double thick, bool dashed) {
    colour(c);
    const double dashes[] = {7, 5};
    cairo_set_dash(cairo_, dashes, dashed ? 2 : 0, 0);
    cairo_set_line_width(cairo_, thick);
    cairo_stroke(cairo_);
  }
  void fill(Colour c) {
    colour(c);
    cairo_fill(cairo_);
  }
  void circle(Spot at, double size) {
    cairo_new_path(cairo_);
    cairo_arc(cairo_, at.x, at.y, size, 0, 2 * std::numbers::pi);
  }

  std::string finish() {
    if (format_ == Format::png) cairo_surface_write_to_png_stream(surface_, append, &bytes_);
    cairo_surface_finish(surface_);
    return cairo_status(cairo_) == CAIRO_STATUS_SUCCESS ? bytes_ : "";
  }

 private:
  Format format_;
  std::string bytes_;
  cairo_surface_t* surface_ = nullptr;
  cairo_t* cairo_ = nullptr;
};

Sheet::Sheet(Format format) : impl_(std::make_unique<Impl>(format)) {}
Sheet::~Sheet() = default;

void Sheet::words(Spot at, std::string_view text, double size, Colour colour, bool bold) {
  impl_->words(at, text, size, colour, bold, false);
}
void Sheet::words_to(Spot at, std::string_view text, double size, Colour colour) {
  impl_->words(at, text, size, colour, false, true);
}
void Sheet::line(const std::vector<Spot>& spots, Colour colour, double thick, bool dashed) {
  impl_->path(spots);
  impl_->stroke(colour, thick, dashed);
}
void Sheet::area(const std::vector<Spot>& spots, Colour colour) {
  impl_->path(spots);
  impl_->fill(colour);
}
void Sheet::dots(const std::vector<Spot>& spots, Colour colour, double size) {
  for (const Spot& spot : spots) {
    impl_->circle(spot, size);
    impl_->fill(colour);
  }
}
void Sheet::cross(Spot at, Colour colour, double size) {
  line({{at.x - size, at.y}, {at.x + size, at.y}}, colour, 2);
  line({{at.x, at.y - size}, {at.x, at.y + size}}, colour, 2);
}
void Sheet::ring(Spot at, Colour colour, double size) {
  impl_->circle(at, size);
  impl_->stroke(colour, 2.5, false);
}
std::string Sheet::finish() { return impl_->finish(); }

// -- plots ----------------------------------------------------------------------------------------------------

Plot::Plot(Sheet& sheet, Spot corner, Spot size, Range across, Range down)
    : sheet_(sheet), corner_(corner), size_(size), across_(across), down_(down) {}

Spot Plot::at(Spot place) const {
  return {corner_.x + size_.x * (place.x - across_.low) / (across_.high - across_.low),
          corner_.y + size_.y * (place.y - down_.low) / (down_.high - down_.low)};
}

std::vector<Spot> Plot::at(const std::vector<Spot>& places) const {
  std::vector<Spot> all;
  for (const Spot& place : places) all.push_back(at(place));
  return all;
}

void Plot::frame(const std::string& title, const std::vector<double>& across, const std::vector<double>& down,
                 const char* number) {
  constexpr double small = 12;
  for (const double x : across) {
    sheet_.line(at({{x, down_.low}, {x, down_.high}}), grid, 1);
    sheet_.words({at({x, down_.high}).x - 4 * static_cast<double>(fmt::format(fmt::runtime(number), x).size()),
                  corner_.y + size_.y + 12},
                 fmt::format(fmt::runtime(number), x), small, faint);
  }
  for (const double y : down) {
    sheet_.line(at({{across_.low, y}, {across_.high, y}}), grid, 1);
    sheet_.words_to({corner_.x - 6, at({across_.low, y}).y}, fmt::format(fmt::runtime(number), y), small, faint);
  }
  sheet_.line({corner_,
               {corner_.x + size_.x, corner_.y},
               {corner_.x + size_.x, corner_.y + size_.y},
               {corner_.x, corner_.y + size_.y},
               corner_},
              faint, 1);
  sheet_.words({corner_.x, corner_.y - 14}, title, 15, ink, true);
}

void Plot::line(const std::vector<Spot>& places, Colour colour, double thick, bool dashed) {
  sheet_.line(at(places), colour, thick, dashed);
}

void Plot::dots(const std::vector<Spot>& places, Colour colour, double size) {
  std::vector<Spot> inside;
  for (const Spot& place : places)
    if (place.x >= std::min(across_.low, across_.high) && place.x <= std::max(across_.low, across_.high) &&
        place.y >= std::min(down_.low, down_.high) && place.y <= std::max(down_.low, down_.high))
      inside.push_back(at(place));
  sheet_.dots(inside, colour, size);
}

Spot on_circle(Spot middle, Spot radius, double degrees) {
  const double angle = degrees * std::numbers::pi / 180;
  return {middle.x + radius.x * std::cos(angle), middle.y + radius.y * std::sin(angle)};
}

}  // namespace omnipar::draw
