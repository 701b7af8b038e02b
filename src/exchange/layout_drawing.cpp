#include "layout_drawing.h"

#include <algorithm>
#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <cmath>
#include <map>
#include <memory>

#include <cell/edits/arrange.h>
#include <cell/model/device_kind.h>
#include <cell/text/disk.h>
#include <geometry/indices.h>

#include "cairo_bytes.h"
#include "today.h"

namespace escarp::exchange {
namespace {

using geometry::Frame;
using geometry::Vector3;

constexpr double point = 72.0 / 25.4;  // cairo's units in a millimetre
constexpr double margin = 10, title_height = 32, table_width = 158, row_height = 4.6, dimension_room = 26;

struct Size {
    double width, height;
};

Size sheet_size(const std::string& name) {
    static const std::map<std::string, Size> all = {
        {"A0", {1189, 841}}, {"A1", {841, 594}}, {"A2", {594, 420}}, {"A3", {420, 297}}, {"A4", {297, 210}}};
    const auto found = all.find(name);
    if (found == all.end())
        throw cell::InputError("sheet", "\"" + name + "\" is not a sheet; A0, A1, A2, A3 or A4 is expected.");
    return found->second;
}

/// A pen on a sheet: millimetres from its lower left corner, y up.
class Sheet {
public:
    /// `outlines`: text as shapes, for formats whose readers do not all know a font's glyphs.
    Sheet(cairo_surface_t* surface, Size size, bool outlines)
        : context_(cairo_create(surface)), size_(size), outlines_(outlines) {
        cairo_scale(context_, point, -point);
        cairo_translate(context_, 0, -size.height);
        cairo_select_font_face(context_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    }
    ~Sheet() { cairo_destroy(context_); }
    Sheet(const Sheet&) = delete;
    Sheet& operator=(const Sheet&) = delete;

    cairo_t* raw() { return context_; }
    void pen(double width, double grey = 0.12) {
        cairo_set_line_width(context_, width);
        cairo_set_source_rgb(context_, grey, grey, grey);
    }
    void line(double x0, double y0, double x1, double y1) {
        cairo_move_to(context_, x0, y0);
        cairo_line_to(context_, x1, y1);
        cairo_stroke(context_);
    }
    void box(double x, double y, double w, double h) {
        cairo_rectangle(context_, x, y, w, h);
        cairo_stroke(context_);
    }
    double width_of(const std::string& text, double height) {
        cairo_set_font_size(context_, height * 1.37);
        cairo_text_extents_t e;
        cairo_text_extents(context_, text.c_str(), &e);
        return e.x_advance;
    }
    /// `height`: of capital letters, mm. `at`: 0 left, 0.5 middle, 1 right of the text at x. `upright`: turned by 90
    /// degrees.
    void text(double x, double y, const std::string& text, double height, double at = 0, bool upright = false) {
        const double w = width_of(text, height);
        cairo_save(context_);
        cairo_translate(context_, x, y);
        if (upright) cairo_rotate(context_, geometry::pi / 2);
        cairo_scale(context_, 1, -1);
        cairo_move_to(context_, -at * w, 0);
        if (outlines_) {
            cairo_text_path(context_, text.c_str());
            cairo_fill(context_);
        } else {
            cairo_show_text(context_, text.c_str());
        }
        cairo_restore(context_);
    }
    std::string fitted(std::string text, double width, double height) {
        if (width_of(text, height) <= width) return text;
        while (!text.empty() && width_of(text + "\u2026", height) > width) {
            do text.pop_back();
            while (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0) == 0x80);
        }
        return text + "\u2026";
    }
    Size size() const { return size_; }

private:
    cairo_t* context_;
    Size size_;
    bool outlines_;
};

std::string number(double v, int decimals = 1) {
    char s[40];
    std::snprintf(s, sizeof s, "%.*f", decimals, std::abs(v) < 0.5 * std::pow(10, -decimals) ? 0.0 : v);
    std::string text = s;
    if (text.find('.') != std::string::npos) {
        while (text.back() == '0') text.pop_back();
        if (text.back() == '.') text.pop_back();
    }
    return text;
}

/// Metres of the floor to millimetres of the sheet.
struct Map {
    double scale, x0, y0;  ///< sheet = x0 + 1000 / scale * world
    double x(double m) const { return x0 + 1e3 / scale * m; }
    double y(double m) const { return y0 + 1e3 / scale * m; }
};

class Layout {
public:
    Layout(const cell::Cell& c, const DrawingOptions& o) : c_(c), o_(o), size_(sheet_size(o.sheet)) {
        for (const int i : indices(c.devices)) {
            const geometry::Box3 b = cell::world_extent(c, i);
            all_.add(b.low), all_.add(b.high);
        }
        if (all_.empty()) all_.add({-0.5, -0.5, 0}), all_.add({0.5, 0.5, 0});
        const bool beside = o.table && size_.width > 400;  // on a small sheet the table has its own
        rows_beside_ =
            beside ? static_cast<std::size_t>((size_.height - 2 * margin - title_height - 2 * row_height) / row_height)
                   : 0;
        area_ = {size_.width - 2 * margin - (beside ? table_width : 0) - 8, size_.height - 2 * margin - 8};
        if (!beside) area_.height -= title_height;
        const double room_x = area_.width - (o.dimensions ? dimension_room : 0),
                     room_y = area_.height - (o.dimensions ? dimension_room : 0);
        const Vector3 extent = 1e3 * (all_.high - all_.low);
        const double needed = std::max(extent.x() / room_x, extent.y() / room_y);
        static const double usual[] = {
            1, 2, 5, 10, 15, 20, 25, 30, 40, 50, 75, 100, 150, 200, 250, 500, 1000, 2000, 5000, 10000};
        const double* fits =
            std::find_if(std::begin(usual), std::end(usual), [&](double s) { return s >= needed - 1e-9; });
        if (fits == std::end(usual)) throw cell::InputError("scale", "The cell does not fit on any usual scale.");
        if (o.scale > 0 && o.scale < needed - 1e-9)
            throw cell::InputError("scale", "At 1:" + number(o.scale, 2) + " the cell does not fit on " + o.sheet +
                                                "; at 1:" + number(*fits, 0) + " it does, or take a larger sheet.");
        map_.scale = o.scale > 0 ? o.scale : *fits;
        const double left = margin + 4 + (o.dimensions ? dimension_room : 0),
                     low = margin + 4 + (beside ? 0 : title_height) + (o.dimensions ? dimension_room : 0);
        map_.x0 = left + 0.5 * (room_x - extent.x() / map_.scale) - 1e3 / map_.scale * all_.low.x();
        map_.y0 = low + 0.5 * (room_y - extent.y() / map_.scale) - 1e3 / map_.scale * all_.low.y();
    }
    double scale() const { return map_.scale; }
    Size size() const { return size_; }
    std::size_t sheets() const {
        if (!o_.table || c_.devices.size() <= rows_beside_) return 1;
        return 1 + (c_.devices.size() - rows_beside_ + rows_alone() - 1) / rows_alone();
    }
    void draw(Sheet& s, std::size_t sheet) {
        s.pen(0.5);
        s.box(margin, margin, size_.width - 2 * margin, size_.height - 2 * margin);
        title(s, sheet);
        if (sheet == 0) {
            plan(s);
            if (o_.dimensions) dimensions(s);
            if (rows_beside_ > 0) table(s, size_.width - margin - table_width, 0, rows_beside_);
        } else {
            table(s, margin + 4, rows_beside_ + (sheet - 1) * rows_alone(), rows_alone());
        }
    }

private:
    std::size_t rows_alone() const {
        return static_cast<std::size_t>((size_.height - 2 * margin - title_height - 3 * row_height) / row_height);
    }

    struct Piece {
        double top;
        geometry::Polygon shape;
        double grey, line;
        bool see_through;
    };

    void collect(
        const geometry::Bodies& bodies, const Frame& at, double grey, double line, std::vector<Piece>& out) const {
        for (const geometry::Body& b : bodies)
            out.push_back({geometry::bounds(b.shape, at * b.at).high.z(), geometry::footprint(b.shape, at * b.at, 64),
                grey, line, b.see_through()});
    }

    /// Every body, the lowest first.
    std::vector<Piece> pieces() const {
        std::vector<Piece> pieces;
        for (const cell::Device& d : c_.devices) {
            collect(d.bodies, d.world, d.kind->moves_parts() ? 0.93 : 0.97, 0.25, pieces);
            const cell::Arm* mover = d.mover();
            if (!mover) continue;
            std::vector<Frame> frames;
            mover->model->mechanism.link_frames(mover->ready, d.world, frames);
            for (std::size_t l = 0; l < frames.size(); ++l)
                collect(mover->model->mechanism.links[l].bodies, frames[l], l == 0 ? 0.85 : 0.99, 0.18, pieces);
            collect(mover->tool_bodies, frames[mover->model->flange_link] * mover->model->flange, 0.99, 0.18, pieces);
        }
        std::stable_sort(pieces.begin(), pieces.end(), [](const Piece& a, const Piece& b) { return a.top < b.top; });
        return pieces;
    }

    void plan(Sheet& s) {
        cairo_t* cr = s.raw();
        cairo_set_line_join(cr, CAIRO_LINE_JOIN_ROUND);
        for (const Piece& p : pieces()) {
            if (p.shape.size() < 3) continue;
            for (std::size_t i = 0; i < p.shape.size(); ++i)
                (i == 0 ? cairo_move_to : cairo_line_to)(cr, map_.x(p.shape[i].x()), map_.y(p.shape[i].y()));
            cairo_close_path(cr);
            cairo_set_source_rgb(cr, p.grey, p.grey, p.grey);
            cairo_fill_preserve(cr);
            s.pen(p.line);
            cairo_stroke(cr);
        }
        s.pen(0.18, 0.35);
        for (const cell::Device& d : c_.devices)
            for (const cell::Mark& m : d.marks) {
                for (std::size_t i = 0; i < m.line.size(); ++i) {
                    const Vector3 p = d.world * m.line[i];
                    (i == 0 ? cairo_move_to : cairo_line_to)(cr, map_.x(p.x()), map_.y(p.y()));
                }
                cairo_stroke(cr);
            }
        numbers(s);
    }

    /// A cross at every device's origin, and its number in the table.
    void numbers(Sheet& s) {
        cairo_t* cr = s.raw();
        std::vector<geometry::Box3> taken;
        for (std::size_t i = 0; i < c_.devices.size(); ++i) {
            const cell::Device& d = c_.devices[i];
            const double x = map_.x(d.world.translation().x()), y = map_.y(d.world.translation().y());
            if (d.bodies.empty() && !d.arm) continue;  // painted on the floor
            s.pen(0.18);
            s.line(x - 1.5, y, x + 1.5, y);
            s.line(x, y - 1.5, x, y + 1.5);
            const std::string label = o_.names ? std::to_string(i + 1) : "";
            // The device's number in the table, in a ring; the rings of devices above each other go side by side.
            double rx = x + 4, ry = y + 4;
            const auto hits = [&] {
                return std::any_of(taken.begin(), taken.end(), [&](const geometry::Box3& b) {
                    return std::abs(0.5 * (b.low.x() + b.high.x()) - rx) < 5.2 &&
                           std::abs(0.5 * (b.low.y() + b.high.y()) - ry) < 5.2;
                });
            };
            for (int k = 0; k < 12 && hits(); ++k) rx += 5.4;
            geometry::Box3 ring;
            ring.add({rx - 2.5, ry - 2.5, 0}), ring.add({rx + 2.5, ry + 2.5, 0});
            taken.push_back(ring);
            if (label.empty()) continue;
            s.line(x, y, rx - 1.8, ry - 1.8);
            cairo_arc(cr, rx, ry, 2.5, 0, 2 * geometry::pi);
            cairo_set_source_rgb(cr, 1, 1, 1);
            cairo_fill_preserve(cr);
            s.pen(0.18);
            cairo_stroke(cr);
            s.text(rx, ry - 0.9, label, 1.8, 0.5);
        }
    }

    /// Overall sizes, and from the lower left corner of the layout to every device on the floor.
    void dimensions(Sheet& s) {
        const double left = map_.x(all_.low.x()), right = map_.x(all_.high.x()), low = map_.y(all_.low.y()),
                     high = map_.y(all_.high.y());
        for (const bool along_x : {true, false}) {
            const double from = along_x ? left : low, base = (along_x ? low : left) - 4;
            const auto at = [&](double a, double b) { return along_x ? std::pair(a, b) : std::pair(b, a); };
            const auto line = [&](double a0, double b0, double a1, double b1) {
                const auto [x0, y0] = at(a0, b0);
                const auto [x1, y1] = at(a1, b1);
                s.line(x0, y0, x1, y1);
            };
            // Overall: the outer line.
            const double outer = base - 19, to = along_x ? right : high;
            s.pen(0.18);
            line(from, base + 2, from, outer - 1.5);
            line(to, base + 2, to, outer - 1.5);
            line(from, outer, to, outer);
            for (const double end : {from, to}) line(end - 1, outer - 1, end + 1, outer + 1);
            const double overall = 1e3 * (along_x ? all_.high.x() - all_.low.x() : all_.high.y() - all_.low.y());
            const auto [tx, ty] = at(0.5 * (from + to), outer + 1);
            s.text(along_x ? tx : tx - 2, ty, number(overall), 2.5, 0.5, !along_x);
            // Running dimensions from the corner, numbers spread where devices stand close in line.
            std::vector<double> places;
            for (const cell::Device& d : c_.devices)
                if (d.host < 0 && (d.arm || !d.bodies.empty()))
                    places.push_back(along_x ? d.world.translation().x() : d.world.translation().y());
            std::sort(places.begin(), places.end());
            places.erase(
                std::unique(places.begin(), places.end(), [](double a, double b) { return std::abs(a - b) < 5e-5; }),
                places.end());
            double last = -1e9;
            for (const double place : places) {
                const double true_at = along_x ? map_.x(place) : map_.y(place),
                             shown_at = std::max(true_at, last + 3.2);
                last = shown_at;
                s.pen(0.13, 0.35);
                line(true_at, base + 3, true_at, base);
                line(true_at, base, shown_at, base - 3);
                line(shown_at, base - 3, shown_at, base - 5);
                s.pen(0.18);
                const auto [x, y] = at(shown_at + 0.8, base - 5.6);
                if (along_x) s.text(x, y, number(1e3 * (place - all_.low.x())), 1.9, 1, true);
                else s.text(x, y - 1.6, number(1e3 * (place - all_.low.y())), 1.9, 1, false);
            }
        }
    }

    void title(Sheet& s, std::size_t sheet) {
        const double x = size_.width - margin - table_width, y = margin;
        s.pen(0.5);
        s.box(x, y, table_width, title_height);
        s.pen(0.18);
        s.line(x, y + 16, x + table_width, y + 16);
        for (const double cut : {62.0, 92.0, 124.0}) s.line(x + cut, y, x + cut, y + 16);
        const auto field = [&](double at, double up, double width, const char* label, const std::string& value,
                               double height) {
            s.pen(0.18, 0.35);
            s.text(at + 1.5, up + 12.2, label, 1.6);
            s.pen(0.18);
            s.text(at + 1.5, up + 4.5, s.fitted(value, width - 3, height), height);
        };
        field(x, y + 16, table_width, "LAYOUT OF CELL",
            o_.cell_name + (o_.variant.empty() ? "" : ", variant " + o_.variant), 3.5);
        field(x, y, 62, "DRAWING NUMBER / DRAWN BY",
            o_.number + (o_.number.empty() || o_.drawn_by.empty() ? "" : " / ") + o_.drawn_by, 2.5);
        field(x + 62, y, 30, "SCALE", "1:" + number(map_.scale, 2), 3.5);
        field(x + 92, y, 32, "DATE", o_.date.empty() ? today() : o_.date, 2.5);
        field(x + 124, y, 34, "SHEET, SIZE",
            std::to_string(sheet + 1) + " of " + std::to_string(sheets()) + ", " + o_.sheet, 2.5);
        s.pen(0.18, 0.35);
        s.text(x - 2, y + 1.6,
            "All dimensions in mm from the lower left corner of the layout; crosses are the devices' origins.", 1.6, 1);
    }

    void table(Sheet& s, double x, std::size_t first, std::size_t rows) {
        const char* heads[] = {"", "DEVICE", "STANDS ON", "X", "Y", "Z", "TURN"};
        const double widths[] = {8, 46, 36, 18, 18, 16, 16};
        double y = size_.height - margin;
        const std::size_t last = std::min(c_.devices.size(), first + rows);
        s.pen(0.5);
        s.line(x, y - (row_height * static_cast<double>(last - first + 2)), x + table_width,
            y - (row_height * static_cast<double>(last - first + 2)));
        s.line(x, y, x, y - (row_height * static_cast<double>(last - first + 2)));
        y -= row_height;
        s.text(x + 1.5, y + 1.2, "PLACEMENTS IN THE WORLD (mm, degrees)", 1.8);
        s.pen(0.18);
        s.line(x, y, x + table_width, y);
        const auto row = [&](const std::vector<std::string>& cells) {
            y -= row_height;
            double at = x;
            for (std::size_t i = 0; i < cells.size(); ++i) {
                const bool is_number = i == 0 || i >= 3;
                if (is_number) s.text(at + widths[i] - 1.5, y + 1.2, cells[i], 1.8, 1);
                else s.text(at + 1.5, y + 1.2, s.fitted(cells[i], widths[i] - 3, 1.8), 1.8);
                at += widths[i];
            }
            s.pen(0.13, 0.6);
            s.line(x, y, x + table_width, y);
            s.pen(0.18);
        };
        row({heads[0], heads[1], heads[2], heads[3], heads[4], heads[5], heads[6]});
        for (std::size_t i = first; i < last; ++i) {
            const cell::Device& d = c_.devices[i];
            const cell::Placement p = cell::placement_of(d.world);
            row({std::to_string(i + 1), d.name, d.host >= 0 ? c_.devices[d.host].name : "floor", number(p.x),
                number(p.y), number(p.z), number(p.turn, 2)});
        }
    }

    const cell::Cell& c_;
    const DrawingOptions& o_;
    Size size_, area_{};
    geometry::Box3 all_;
    Map map_{};
    std::size_t rows_beside_ = 0;
};

bool ends_with(const std::string& text, const char* end) {
    const std::string e = end;
    return text.size() >= e.size() && text.compare(text.size() - e.size(), e.size(), e) == 0;
}

}  // namespace

DrawingResult write_layout_drawing(const cell::Cell& c, const DrawingOptions& o, const std::string& file) {
    const bool pdf = ends_with(file, ".pdf");
    if (!pdf && !ends_with(file, ".svg"))
        throw cell::InputError(file, "The drawing's name is expected to end in .pdf or .svg.");
    Layout layout(c, o);
    DrawingResult result;
    result.scale = layout.scale();
    const Size size = layout.size();
    if (pdf) {
        std::string bytes;
        cairo_surface_t* surface =
            cairo_pdf_surface_create_for_stream(gather, &bytes, size.width * point, size.height * point);
        for (std::size_t i = 0; i < layout.sheets(); ++i) {
            Sheet sheet(surface, size, false);
            layout.draw(sheet, i);
            cairo_show_page(sheet.raw());
        }
        write_gathered(surface, bytes, file);
        result.files.push_back(file);
        return result;
    }
    for (std::size_t i = 0; i < layout.sheets(); ++i) {
        const std::string name = i == 0 ? file : file.substr(0, file.size() - 4) + "-" + std::to_string(i + 1) + ".svg";
        std::string bytes;
        cairo_surface_t* surface =
            cairo_svg_surface_create_for_stream(gather, &bytes, size.width * point, size.height * point);
        {
            Sheet sheet(surface, size, true);
            layout.draw(sheet, i);
        }
        write_gathered(surface, bytes, name);
        result.files.push_back(name);
    }
    return result;
}

}  // namespace escarp::exchange
