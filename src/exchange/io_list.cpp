#include "io_list.h"

#include <cairo-pdf.h>

#include "cairo_bytes.h"
#include "csv.h"

namespace escarp::exchange {
namespace {

constexpr double width = 595, height = 842, border = 42, line = 15;  // points of an A4 page
constexpr double columns[] = {border, 110, 290, 335, 405};
constexpr int lines_on_a_page = 46;

std::vector<std::string> row(const cell::Cell& cell, const cell::IoLine& io) {
    const cell::Signal& s = cell.signals[io.signal];
    return {io.address, cell.full_name(s), controller_way(s),
        std::string(word(s.type)) + (s.unit.empty() ? "" : ", " + s.unit), io.comment};
}

/// Shortened with three dots where it is wider than its column.
void write_text(cairo_t* c, double x, double y, double wide, std::string text) {
    cairo_text_extents_t extents;
    const auto fits = [&](const std::string& t) {
        cairo_text_extents(c, t.c_str(), &extents);
        return extents.x_advance <= wide;
    };
    if (!fits(text)) {
        while (!text.empty() && !fits(text + "\u2026")) {
            do text.pop_back();
            while (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0) == 0x80);
            if (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0) == 0xC0) text.pop_back();
        }
        text += "\u2026";
    }
    cairo_move_to(c, x, y);
    cairo_show_text(c, text.c_str());
}

void write_row(cairo_t* c, double y, const std::vector<std::string>& texts) {
    for (std::size_t i = 0; i < texts.size(); ++i)
        write_text(
            c, columns[i], y, (i + 1 < texts.size() ? columns[i + 1] : width - border) - columns[i] - 6, texts[i]);
}

void draw_page(cairo_t* c, const cell::Cell& cell, const std::vector<cell::IoLine>& all, std::size_t first,
    const std::string& title, const std::string& page) {
    cairo_select_font_face(c, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_BOLD);
    cairo_set_font_size(c, 13);
    write_text(c, border, border + 8, width - 2 * border - 60, title);
    cairo_set_font_size(c, 8.5);
    write_row(c, border + 34, {"address", "signal", "way", "type", "comment"});
    cairo_select_font_face(c, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    write_text(c, width - border - 60, border + 8, 60, page);
    cairo_set_line_width(c, 0.5);
    const double top = border + 39;
    const std::size_t last = std::min(all.size(), first + lines_on_a_page);
    for (std::size_t i = first; i < last; ++i) {
        const double y = top + line * static_cast<double>(i - first);
        cairo_move_to(c, border, y);
        cairo_line_to(c, width - border, y);
        cairo_stroke(c);
        write_row(c, y + 10.5, row(cell, all[i]));
    }
}

}  // namespace

const char* controller_way(const cell::Signal& s) { return s.controller_sets() ? "output" : "input"; }

std::string io_csv(const cell::Cell& cell) {
    std::string out = csv_line({"address", "signal", "direction", "type", "unit", "comment"});
    for (const cell::IoLine& io : cell::io_list(cell)) {
        const cell::Signal& s = cell.signals[io.signal];
        out += csv_line({io.address, cell.full_name(s), controller_way(s), word(s.type), s.unit, io.comment});
    }
    return out;
}

void write_io_list(const cell::Cell& cell, const std::string& title, const std::string& file) {
    const auto ends = [&](const char* with) { return file.size() > 4 && file.substr(file.size() - 4) == with; };
    if (ends(".csv")) return cell::write_file(file, io_csv(cell));
    if (!ends(".pdf")) throw cell::InputError(file, "The I/O list is written as .csv or as .pdf.");
    const std::vector<cell::IoLine> all = cell::io_list(cell);
    const std::size_t pages = std::max<std::size_t>(1, (all.size() + lines_on_a_page - 1) / lines_on_a_page);
    std::string bytes;
    cairo_surface_t* surface = cairo_pdf_surface_create_for_stream(gather, &bytes, width, height);
    cairo_t* c = cairo_create(surface);
    for (std::size_t p = 0; p < pages; ++p) {
        draw_page(c, cell, all, p * lines_on_a_page, title, std::to_string(p + 1) + " of " + std::to_string(pages));
        cairo_show_page(c);
    }
    cairo_destroy(c);
    write_gathered(surface, bytes, file);
}

}  // namespace escarp::exchange
