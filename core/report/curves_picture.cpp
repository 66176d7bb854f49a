#include "core/report/curves_file.h"

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>

#include <array>
#include <memory>

namespace topikos {

namespace {

constexpr double kWidth = 1100, kPanel = 150, kLeft = 74, kRight = 150, kTop = 14, kBottom = 40, kTitle = 20;
constexpr int kPoints = 1600;

struct Color {
    double r, g, b;
};
// Told apart by people who see few colours, too: they differ in lightness.
constexpr std::array<Color, 8> kColors{{{0.05, 0.46, 0.47},
                                        {0.75, 0.38, 0.12},
                                        {0.42, 0.25, 0.52},
                                        {0.72, 0.60, 0.15},
                                        {0.20, 0.35, 0.65},
                                        {0.55, 0.15, 0.20},
                                        {0.35, 0.55, 0.25},
                                        {0.40, 0.40, 0.42}}};

using CairoSurface = std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)>;
using CairoContext = std::unique_ptr<cairo_t, decltype(&cairo_destroy)>;

cairo_status_t append(void* closure, const unsigned char* data, unsigned int length)
{
    static_cast<std::string*>(closure)->append(reinterpret_cast<const char*>(data), length);
    return CAIRO_STATUS_SUCCESS;
}

class Drawer {
public:
    Drawer(cairo_t* c, const Cell& cell, const Trace& trace, const KeptCurves& kept, double from, double to) :
        m_c(c), m_cell(cell), m_trace(trace), m_kept(kept), m_from(from), m_to(to)
    {
        for (int i = 0; i <= kPoints; ++i)
            m_times.push_back(from + (to - from) * i / kPoints);
    }

    void panel(const std::vector<Curve>& curves, double top)
    {
        const ShownUnit unit = shownUnit(curveUnit(m_cell, curves[0]));
        std::vector<std::vector<double>> values = curveValues(m_cell, m_trace, curves, m_times), before;
        if (m_kept.trace) before = curveValues(*m_kept.cell, *m_kept.trace, curves, m_times);
        double low = INFINITY, high = -INFINITY;
        for (auto* all : {&values, &before})
            for (std::vector<double>& own : *all)
                for (double& v : own) {
                    v *= unit.factor;
                    if (std::isnan(v)) continue;
                    low = std::min(low, v);
                    high = std::max(high, v);
                }
        if (!(low <= high)) low = 0, high = 1;
        if (high - low < 1e-9 * (1 + std::abs(high))) low -= 0.5, high += 0.5;
        const double room = 0.08 * (high - low);
        low -= room;
        high += room;
        const double bottom = top + kPanel - 12, head = top + kTitle;
        const auto x = [&](double t) { return kLeft + (kWidth - kLeft - kRight) * (t - m_from) / (m_to - m_from); };
        const auto y = [&](double v) { return bottom - (bottom - head) * (v - low) / (high - low); };
        ink({0.15, 0.15, 0.17});
        text(kLeft, head - 6, panelTitle(m_cell, curves), 12, 0);
        cairo_set_line_width(m_c, 0.6);
        for (const double tick : ticks(low, high, 4)) {
            ink({0.87, 0.85, 0.82});
            line(kLeft, y(tick), kWidth - kRight, y(tick));
            ink({0.35, 0.35, 0.37});
            text(kLeft - 6, y(tick) + 3.5, fmt::format("{:.6g}", tick), 10, 1);
        }
        cairo_save(m_c);
        cairo_rectangle(m_c, kLeft, head, kWidth - kLeft - kRight, bottom - head);
        cairo_clip(m_c);
        for (size_t i = 0; i < curves.size(); ++i) {
            const Color color = kColors[i % kColors.size()];
            if (const auto limit = curveLimits(m_cell, curves[i])) {
                ink(color);
                const double dash[] = {4, 4};
                cairo_set_dash(m_c, dash, 2, 0);
                for (const double v : {limit->lower * unit.factor, limit->upper * unit.factor})
                    line(kLeft, y(v), kWidth - kRight, y(v));
                cairo_set_dash(m_c, nullptr, 0, 0);
            }
            if (i < before.size()) {
                ink({0.72, 0.70, 0.68});
                stroke(before[i], x, y);
            }
        }
        for (size_t i = 0; i < curves.size(); ++i) {
            ink(kColors[i % kColors.size()]);
            cairo_set_line_width(m_c, 1.2);
            stroke(values[i], x, y);
        }
        cairo_restore(m_c);
        for (size_t i = 0; i < curves.size(); ++i) {
            const double place = head + 10 + 13 * double(i);
            if (place > bottom) break;
            ink(kColors[i % kColors.size()]);
            cairo_set_line_width(m_c, 2);
            line(kWidth - kRight + 10, place - 4, kWidth - kRight + 26, place - 4);
            ink({0.15, 0.15, 0.17});
            text(kWidth - kRight + 32, place, curveName(m_cell, curves[i]), 10, 0);
        }
        ink({0.55, 0.54, 0.52});
        cairo_set_line_width(m_c, 0.8);
        cairo_rectangle(m_c, kLeft, head, kWidth - kLeft - kRight, bottom - head);
        cairo_stroke(m_c);
    }

    void timeAxis(double top)
    {
        for (const double tick : ticks(m_from, m_to, 10)) {
            const double at = kLeft + (kWidth - kLeft - kRight) * (tick - m_from) / (m_to - m_from);
            ink({0.35, 0.35, 0.37});
            text(at, top + 12, fmt::format("{:.6g}", tick), 10, 0.5);
        }
        text(kWidth - kRight + 10, top + 12, "time [s]", 10, 0);
    }

private:
    void ink(const Color& color) { cairo_set_source_rgb(m_c, color.r, color.g, color.b); }
    void line(double x1, double y1, double x2, double y2)
    {
        cairo_move_to(m_c, x1, y1);
        cairo_line_to(m_c, x2, y2);
        cairo_stroke(m_c);
    }
    /// `align`: how much of the words is left of the place.
    void text(double x, double y, const std::string& words, double size, double align)
    {
        cairo_select_font_face(m_c, "Inter", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(m_c, size);
        cairo_text_extents_t extents;
        cairo_text_extents(m_c, words.c_str(), &extents);
        cairo_move_to(m_c, x - align * extents.x_advance, y);
        cairo_show_text(m_c, words.c_str());
    }
    template <class X, class Y> void stroke(const std::vector<double>& values, const X& x, const Y& y)
    {
        bool on = false;
        for (size_t i = 0; i < values.size(); ++i) {
            if (std::isnan(values[i])) {
                on = false;
                continue;
            }
            if (on) cairo_line_to(m_c, x(m_times[i]), y(values[i]));
            else cairo_move_to(m_c, x(m_times[i]), y(values[i]));
            on = true;
        }
        cairo_stroke(m_c);
    }

    cairo_t* m_c;
    const Cell& m_cell;
    const Trace& m_trace;
    const KeptCurves& m_kept;
    double m_from, m_to;
    std::vector<double> m_times;
};

}  // namespace

Status saveCurvesPicture(const std::string& path, const Cell& cell, const Trace& trace,
                         const std::vector<Curve>& curves, double from, double to, const KeptCurves& kept)
{
    const std::vector<std::vector<Curve>> panels = panelsOf(cell, curves);
    if (panels.empty() || !(to > from))
        return Error{"curves.none", "there is nothing to draw", path, "Choose a curve, and a run that takes time."};
    const bool svg = path.ends_with(".svg");
    const double height = kTop + kPanel * double(panels.size()) + kBottom, scale = svg ? 1 : 1.5;
    std::string bytes;
    const CairoSurface surface(
        svg ? cairo_svg_surface_create_for_stream(append, &bytes, kWidth, height)
            : cairo_image_surface_create(CAIRO_FORMAT_RGB24, int(kWidth * scale), int(height * scale)),
        &cairo_surface_destroy);
    {
        const CairoContext context(cairo_create(surface.get()), &cairo_destroy);
        cairo_scale(context.get(), scale, scale);
        cairo_set_source_rgb(context.get(), 1, 1, 1);
        cairo_paint(context.get());
        Drawer drawer(context.get(), cell, trace, kept, from, to);
        for (size_t i = 0; i < panels.size(); ++i)
            drawer.panel(panels[i], kTop + kPanel * double(i));
        drawer.timeAxis(kTop + kPanel * double(panels.size()) - 4);
    }
    if (!svg) cairo_surface_write_to_png_stream(surface.get(), append, &bytes);
    cairo_surface_finish(surface.get());
    if (cairo_surface_status(surface.get()) != CAIRO_STATUS_SUCCESS || bytes.empty())
        return Error{"curves.picture", "the picture cannot be drawn", path, "Choose fewer curves."};
    return saveFile(path, [&](const FileSink& sink) { sink(bytes); });
}

}  // namespace topikos
