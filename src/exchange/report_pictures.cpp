#include "report_pictures.h"

#include <algorithm>
#include <cairo.h>
#include <cmath>
#include <set>

#include <cell/model/reader.h>
#include <geometry/indices.h>
#include <geometry/outline.h>

namespace escarp::exchange {
namespace {

using Row = std::pair<std::string, study::Estimate>;

void colour(cairo_t* c, unsigned rgb, double alpha = 1) {
    cairo_set_source_rgba(c, ((rgb >> 16) & 255) / 255.0, ((rgb >> 8) & 255) / 255.0, (rgb & 255) / 255.0, alpha);
}
constexpr unsigned ink = 0x1F2A33, muted = 0x5C6870, rule = 0xD8D2C4, good = 0x1B7A78, bad = 0xA8124F, move = 0x3F6C9B;

/// `at`: 0 left, 0.5 middle, 1 right of the text at x; its baseline at y.
void words(cairo_t* c, double x, double y, const std::string& text, double size, double at = 0, bool strong = false) {
    cairo_select_font_face(
        c, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, strong ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(c, size);
    cairo_text_extents_t e;
    cairo_text_extents(c, text.c_str(), &e);
    cairo_move_to(c, x - at * e.x_advance, y);
    cairo_show_text(c, text.c_str());
}

unsigned fill_of(const cell::Device& d) {
    switch (d.look) {
        case cell::Look::arm: return 0xE6E1D3;
        case cell::Look::belt: return 0x5B646C;
        case cell::Look::fixture: return 0xC9CDA8;
        case cell::Look::sensor: return 0xB4521B;
        case cell::Look::source:
        case cell::Look::sink: return 0xDDD4C4;
        case cell::Look::marking: return 0xE0BE68;
        case cell::Look::structure: return 0xD5CFC2;
    }
    return 0xD5CFC2;
}

struct Box {
    double left = 1e300, right = -1e300, low = 1e300, high = -1e300;
    void take(double x, double y) {
        left = std::min(left, x), right = std::max(right, x), low = std::min(low, y), high = std::max(high, y);
    }
};

Box bounds_of(const cell::Device& d) {
    Box box;
    for (const geometry::Body& b : d.bodies)
        for (const geometry::Point2& p : geometry::footprint(b.shape, d.world * b.at)) box.take(p.x(), p.y());
    return box;
}

void draw_cell(cairo_t* c, const cell::Cell& cell, const std::function<std::pair<double, double>(double, double)>& to,
    double size) {
    const auto body = [&](const geometry::Convex& shape, const geometry::Frame& at, unsigned fill) {
        bool first = true;
        for (const geometry::Point2& p : geometry::footprint(shape, at)) {
            const auto [x, y] = to(p.x(), p.y());
            (first ? cairo_move_to : cairo_line_to)(c, x, y);
            first = false;
        }
        cairo_close_path(c);
        colour(c, fill);
        cairo_fill_preserve(c);
        colour(c, ink);
        cairo_set_line_width(c, 0.5);
        cairo_stroke(c);
    };
    for (const cell::Device& d : cell.devices) {
        for (const geometry::Body& b : d.bodies) body(b.shape, d.world * b.at, fill_of(d));
        if (!d.arm) continue;
        std::vector<geometry::Frame> frames;
        d.arm->model->mechanism.link_frames(d.arm->ready, d.world, frames);
        for (std::size_t link = 0; link < frames.size(); ++link)
            for (const geometry::Body& b : d.arm->model->mechanism.links[link].bodies)
                body(b.shape, frames[link] * b.at, 0xE6E1D3);
    }
    colour(c, muted);
    for (const cell::Device& d : cell.devices) {  // a name below each that stands on the floor
        if (d.host >= 0 || d.bodies.empty() || d.look == cell::Look::structure) continue;
        const Box b = bounds_of(d);
        const auto [x, y] = to(0.5 * (b.left + b.right), b.low);
        words(c, x, y + 1.1 * size, d.name, size, 0.5);
    }
}

Box bounds(const cell::Cell& cell) {
    Box box;
    for (const cell::Device& d : cell.devices) {
        if (d.bodies.empty()) continue;
        const Box one = bounds_of(d);
        box.take(one.left, one.low), box.take(one.right, one.high);
    }
    if (box.left > box.right) box = {0, 4, 0, 3};
    return box;
}

/// Axes with round numbers, and where a value goes.
class Axes {
public:
    Axes(cairo_t* c, double width, double height, Box box, const std::string& across, const std::string& up)
        : c_(c), left_(58), top_(10), wide_(width - 72), high_(height - 52), box_(box) {
        const double dx = std::max(box.right - box.left, 1e-9), dy = std::max(box.high - box.low, 1e-9);
        box_.left -= 0.04 * dx, box_.right += 0.04 * dx, box_.low -= 0.1 * dy, box_.high += 0.1 * dy;
        cairo_set_line_width(c, 0.5);
        ticks(box_.left, box_.right, [&](double v, const std::string& text) {
            colour(c, rule);
            cairo_move_to(c, x(v), top_), cairo_line_to(c, x(v), top_ + high_), cairo_stroke(c);
            colour(c, ink);
            words(c, x(v), top_ + high_ + 12, text, 7.5, 0.5);
        });
        ticks(box_.low, box_.high, [&](double v, const std::string& text) {
            colour(c, rule);
            cairo_move_to(c, left_, y(v)), cairo_line_to(c, left_ + wide_, y(v)), cairo_stroke(c);
            colour(c, ink);
            words(c, left_ - 4, y(v) + 2.5, text, 7.5, 1);
        });
        colour(c, muted);
        cairo_move_to(c, left_, top_), cairo_line_to(c, left_, top_ + high_),
            cairo_line_to(c, left_ + wide_, top_ + high_), cairo_stroke(c);
        words(c, left_ + 0.5 * wide_, top_ + high_ + 26, across, 8, 0.5);
        cairo_save(c);
        cairo_translate(c, 10, top_ + 0.5 * high_);
        cairo_rotate(c, -geometry::pi / 2);
        words(c, 0, 0, up, 8, 0.5);
        cairo_restore(c);
    }
    double x(double v) const { return left_ + wide_ * (v - box_.left) / (box_.right - box_.left); }
    double y(double v) const { return top_ + high_ * (box_.high - v) / (box_.high - box_.low); }
    void dot(double at_x, double at_y, double size, unsigned rgb) const {
        cairo_new_path(c_);
        cairo_arc(c_, x(at_x), y(at_y), size, 0, 2 * geometry::pi);
        colour(c_, rgb);
        cairo_fill(c_);
    }

private:
    static void ticks(double low, double high, const std::function<void(double, const std::string&)>& use) {
        const double rough = (high - low) / 5, power = std::pow(10, std::floor(std::log10(rough)));
        const double step = rough / power < 1.5 ? power : rough / power < 3.5 ? 2 * power : 5 * power;
        const int decimals = std::max(0, -static_cast<int>(std::floor(std::log10(step) + 1e-9)));
        for (double v = std::ceil(low / step) * step; v <= high; v += step) {
            char text[40];
            std::snprintf(text, sizeof text, "%.*f", decimals, std::abs(v) < 1e-9 * step ? 0.0 : v);
            use(v, text);
        }
    }
    cairo_t* c_;
    double left_, top_, wide_, high_;
    Box box_;
};

std::string axis(const study::Measure& m) { return m.unit.empty() ? m.label : m.label + " [" + m.unit + "]"; }

void draw_line(cairo_t* c, double w, double h, const study::Answered& a) {
    const study::Measure& m = *a.looked_at.front();
    std::vector<std::pair<double, const study::Tried*>> all;
    Box box;
    for (const study::Tried& t : a.tried)
        if (t.point[0].is_number() && t.has(m.id)) {
            all.emplace_back(t.point[0].get<double>(), &t);
            const study::Estimate e = t.found.of(m.id);
            box.take(all.back().first, e.low()), box.take(all.back().first, e.high());
        }
    std::sort(all.begin(), all.end(), [](const auto& one, const auto& two) { return one.first < two.first; });
    if (all.empty()) return;
    const std::string unit = cell::unit_sign(a.study.vary[0].at.substr(a.study.vary[0].at.rfind('/') + 1));
    const Axes axes(c, w, h, box, a.varied[0] + (unit.empty() ? "" : " [" + unit + "]"), axis(m));
    bool first = true;
    for (const auto& [x, t] : all)
        (first ? cairo_move_to : cairo_line_to)(c, axes.x(x), axes.y(t->figure(m.id))), first = false;
    colour(c, good);
    cairo_set_line_width(c, 1.2);
    cairo_stroke(c);
    for (const auto& [x, t] : all) {
        const study::Estimate e = t->found.of(m.id);
        if (e.high() > e.low()) {
            colour(c, good, 0.6);
            cairo_move_to(c, axes.x(x), axes.y(e.low())), cairo_line_to(c, axes.x(x), axes.y(e.high())),
                cairo_stroke(c);
        }
        axes.dot(x, e.mean, 2.4, t->keeps ? good : bad);
    }
}

void draw_cloud(cairo_t* c, double w, double h, const study::Answered& a) {
    const study::Measure &up = *a.looked_at[0], &across = *a.looked_at[1];
    Box box;
    for (const study::Tried& t : a.tried)
        if (t.has(up.id) && t.has(across.id)) box.take(t.figure(across.id), t.figure(up.id));
    if (box.left > box.right) return;
    const Axes axes(c, w, h, box, axis(across), axis(up));
    const std::set<int> front(a.front.begin(), a.front.end());
    for (int pass : {0, 1})
        for (const int i : indices(a.tried)) {
            const study::Tried& t = a.tried[i];
            const bool best = front.count(i) > 0;
            if (!t.has(up.id) || !t.has(across.id) || best != (pass == 1)) continue;
            axes.dot(t.figure(across.id), t.figure(up.id), best ? 3 : 2, best ? good : t.keeps ? move : bad);
        }
    if (a.now.has(up.id) && a.now.has(across.id)) {
        colour(c, ink);
        cairo_set_line_width(c, 1);
        cairo_rectangle(c, axes.x(a.now.figure(across.id)) - 4, axes.y(a.now.figure(up.id)) - 4, 8, 8);
        cairo_stroke(c);
    }
}

void draw_bars(cairo_t* c, double w, double h, const study::Answered& a) {
    const study::Measure& m = *a.looked_at.front();
    std::vector<const study::Influence*> all;
    double most = 1e-12;
    const auto weight = [&](const study::Influence& i) { return a.study.shares ? 100 * i.in_all : i.strength; };
    for (const study::Influence& i : a.influences)
        if (i.figure == m.id) all.push_back(&i), most = std::max(most, weight(i));
    std::sort(all.begin(), all.end(), [&](const auto* one, const auto* two) { return weight(*one) > weight(*two); });
    const double row = std::min(26.0, (h - 20) / static_cast<double>(std::max<std::size_t>(1, all.size())));
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double y = 6 + row * static_cast<double>(i), length = (w - 270) * weight(*all[i]) / most;
        colour(c, ink);
        words(c, 190, y + 0.5 * row + 3, a.varied[all[i]->number], 8, 1);
        colour(c, good);
        cairo_rectangle(c, 196, y + 3, length, row - 6);
        cairo_fill(c);
        colour(c, ink);
        char text[40];
        std::snprintf(text, sizeof text, a.study.shares ? "%.0f %%" : "%.3f", weight(*all[i]));
        words(c, 200 + length, y + 0.5 * row + 3, std::string(text) + (a.study.shares ? "" : " " + m.unit), 8);
    }
}

}  // namespace

Report::Picture layouts_picture(
    const std::vector<std::pair<std::string, std::shared_ptr<const cell::Cell>>>& variants) {
    std::vector<Box> boxes;
    double wide = 1, high = 1;
    for (const auto& [name, cell] : variants) {
        boxes.push_back(bounds(*cell));
        wide = std::max(wide, boxes.back().right - boxes.back().left);
        high = std::max(high, boxes.back().high - boxes.back().low);
    }
    const std::size_t across = variants.size() < 2 ? 1 : 2, down = (variants.size() + across - 1) / across;
    const double tile = wide / (high + 0.12 * wide);
    return {tile * static_cast<double>(across) / static_cast<double>(down), "All to one scale.",
        [=](cairo_t* c, double w, double h) {
            const double tile_w = w / static_cast<double>(across), tile_h = h / static_cast<double>(down);
            const double scale = 0.94 * std::min(tile_w / wide, (tile_h - 16) / high);
            for (std::size_t i = 0; i < variants.size(); ++i) {
                const double x = tile_w * static_cast<double>(i % across), y = tile_h * static_cast<double>(i / across);
                const Box& b = boxes[i];
                const auto to = [&](double px, double py) {
                    return std::pair(x + 0.5 * tile_w + (px - 0.5 * (b.left + b.right)) * scale,
                        y + 14 + 0.5 * (tile_h - 16) - (py - 0.5 * (b.low + b.high)) * scale);
                };
                colour(c, ink);
                words(c, x + 2, y + 10, variants[i].first, 9, 0, true);
                draw_cell(c, *variants[i].second, to, 6);
            }
        }};
}

Report::Picture estimates_picture(const std::vector<Row>& all, const study::Measure& m, std::optional<double> limit) {
    return {5.5 / (1.0 + 0.35 * static_cast<double>(all.size())), {}, [all, &m, limit](cairo_t* c, double w, double h) {
                Box box;
                for (const auto& [name, e] : all) box.take(e.low(), 0), box.take(e.high(), 0);
                if (limit) box.take(*limit, 0);
                const double pad = std::max(0.06 * (box.right - box.left), 1e-3 * std::abs(box.right));
                const double from = box.left - pad, to = box.right + pad, left = 150, wide = w - left - 80;
                const auto x = [&](double v) { return left + wide * (v - from) / (to - from); };
                const double row = (h - 18) / static_cast<double>(std::max<std::size_t>(1, all.size()));
                for (std::size_t i = 0; i < all.size(); ++i) {
                    const study::Estimate& e = all[i].second;
                    const double y = row * (static_cast<double>(i) + 0.5);
                    colour(c, ink);
                    words(c, left - 8, y + 3, all[i].first, 8.5, 1);
                    colour(c, rule);
                    cairo_set_line_width(c, 0.5);
                    cairo_move_to(c, left, y), cairo_line_to(c, left + wide, y), cairo_stroke(c);
                    colour(c, good);
                    cairo_set_line_width(c, 2);
                    cairo_move_to(c, x(e.low()), y), cairo_line_to(c, x(e.high()), y), cairo_stroke(c);
                    cairo_new_path(c);
                    cairo_arc(c, x(e.mean), y, 3.4, 0, 2 * geometry::pi), cairo_fill(c);
                    colour(c, ink);
                    words(c, left + wide + 6, y + 3, study::with_unit(e.mean, m), 8.5);
                }
                if (limit) {
                    colour(c, bad);
                    cairo_set_line_width(c, 1);
                    cairo_move_to(c, x(*limit), 0), cairo_line_to(c, x(*limit), h - 14), cairo_stroke(c);
                    words(c, x(*limit), h - 4, "takt " + study::with_unit(*limit, m), 7.5, 0.5);
                }
            }};
}

Report::Picture study_picture(std::shared_ptr<const study::Answered> a) {
    using Asks = cell::Study::Asks;
    const bool bars = a->study.asks == Asks::sensitivity;
    const bool line = a->study.asks == Asks::sweep && a->study.vary.size() == 1 && a->study.vary[0].numeric();
    const std::string caption = bars   ? "How much each moves it over its range."
                                : line ? "Red: lacks what is demanded."
                                       : "Green: beaten by none; red: lacks what is demanded; square: as it is now.";
    const double count = static_cast<double>(a->study.vary.size());
    return {
        bars ? std::clamp(18 / (count + 1), 1.5, 6.0) : 2.1, caption, [a, bars, line](cairo_t* c, double w, double h) {
            if (bars) draw_bars(c, w, h, *a);
            else if (line || a->looked_at.size() < 2) draw_line(c, w, h, *a);
            else draw_cloud(c, w, h, *a);
        }};
}

}  // namespace escarp::exchange
