// The drawing is to scale: what is read off the sheet is what stands in the cell.
#include <catch2/catch.hpp>

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <sstream>

#include <exchange/layout_drawing.h>
#include <exchange/placements_csv.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

std::string text_of(const std::string& file) {
    std::ifstream in(file, std::ios::binary);
    return {(std::istreambuf_iterator<char>(in)), {}};
}

std::string scratch(const char* name) {
    return (std::filesystem::temp_directory_path() / (std::to_string(::getpid()) + name)).string();
}

std::shared_ptr<const cell::Cell> block(double length, double width, double x, double y) {
    return tests::read({{"escarp", 1},
        {"devices", {{{"id", "b"}, {"name", "Block, \"large\""}, {"kind", "structure"}, {"shape", "box"},
                        {"length_mm", length}, {"width_mm", width}, {"height_mm", 300},
                        {"placement", {{"x_mm", x}, {"y_mm", y}, {"turn_deg", 0}}}}}}});
}

/// Closed four-cornered paths of an SVG by cairo, in millimetres of the sheet (y down): low x, low y, width, height.
std::vector<std::array<double, 4>> rectangles(const std::string& svg) {
    std::vector<std::array<double, 4>> out;
    for (std::size_t at = svg.find("d=\"M "); at != std::string::npos; at = svg.find("d=\"M ", at + 1)) {
        const std::size_t end = svg.find('"', at + 3), close = svg.find("/>", end);
        if (end == std::string::npos || close == std::string::npos || end - at > 400) continue;  // text is longer
        std::string numbers = svg.substr(at + 3, end - at - 3);
        for (char& c : numbers)
            if (std::isalpha(static_cast<unsigned char>(c))) c = ' ';
        double m[6] = {1, 0, 0, 1, 0, 0};
        const std::size_t matrix = svg.find("matrix(", end);
        if (matrix < close) {
            std::string six = svg.substr(matrix + 7, close - matrix);
            std::replace(six.begin(), six.end(), ',', ' ');
            std::sscanf(six.c_str(), "%lf %lf %lf %lf %lf %lf", &m[0], &m[1], &m[2], &m[3], &m[4], &m[5]);
        }
        std::vector<double> v;
        std::istringstream in(numbers);
        for (double d; in >> d;) v.push_back(d);
        if (v.size() < 8 || v.size() > 10) continue;
        double x0 = 1e9, y0 = 1e9, x1 = -1e9, y1 = -1e9;
        for (std::size_t i = 0; i + 1 < v.size(); i += 2) {
            const double x = (m[0] * v[i] + m[2] * v[i + 1] + m[4]) * 25.4 / 72,
                         y = (m[1] * v[i] + m[3] * v[i + 1] + m[5]) * 25.4 / 72;
            x0 = std::min(x0, x), y0 = std::min(y0, y), x1 = std::max(x1, x), y1 = std::max(y1, y);
        }
        out.push_back({x0, y0, x1 - x0, y1 - y0});
    }
    return out;
}

}  // namespace

TEST_CASE("a block is drawn at its size divided by the scale") {
    for (const double scale : {10.0, 20.0, 25.0}) {
        exchange::DrawingOptions o;
        o.scale = scale;
        const std::string file = scratch("block.svg");
        const auto r = exchange::write_layout_drawing(*block(1000, 600, 500, 300), o, file);
        CHECK(r.scale == scale);
        const auto all = rectangles(text_of(file));
        const bool found = std::any_of(all.begin(), all.end(),
            [&](const auto& b) { return std::abs(b[2] - 1000 / scale) < 0.02 && std::abs(b[3] - 600 / scale) < 0.02; });
        CHECK(found);
        std::filesystem::remove(file);
    }
}

TEST_CASE("the largest usual scale that fits is taken; one that does not fit is refused with one that does") {
    exchange::DrawingOptions o;
    const std::string file = scratch("fit.pdf");
    CHECK(exchange::write_layout_drawing(*block(1000, 600, 0, 0), o, file).scale == 5);
    CHECK(text_of(file).substr(0, 5) == "%PDF-");
    CHECK(exchange::write_layout_drawing(*block(20000, 600, 0, 0), o, file).scale == 100);
    o.scale = 10;
    try {
        exchange::write_layout_drawing(*block(20000, 600, 0, 0), o, file);
        FAIL("it was drawn");
    } catch (const cell::InputError& e) {
        CHECK(std::string(e.what()).find("1:100") != std::string::npos);
    }
    o.scale = 0;
    o.sheet = "B7";
    CHECK_THROWS_AS(exchange::write_layout_drawing(*block(1000, 600, 0, 0), o, file), cell::InputError);
    o.sheet = "A4";
    CHECK_THROWS_AS(exchange::write_layout_drawing(*block(1000, 600, 0, 0), o, "drawing.bmp"), cell::InputError);
    CHECK_THROWS_AS(
        exchange::write_layout_drawing(*block(1000, 600, 0, 0), o, "/nowhere/at/all.pdf"), cell::InputError);
    std::filesystem::remove(file);
}

TEST_CASE("many devices get more sheets, one row for each") {
    json tree = {{"escarp", 1}, {"devices", json::array()}};
    for (int i = 0; i < 150; ++i)
        tree["devices"].push_back({{"id", "d" + std::to_string(i)}, {"name", "Device " + std::to_string(i)},
            {"kind", "structure"}, {"shape", "box"}, {"length_mm", 100}, {"width_mm", 100}, {"height_mm", 100},
            {"placement", {{"x_mm", 200 * (i % 15)}, {"y_mm", 200 * (i / 15)}}}});
    const std::string file = scratch("many.svg");
    const auto r = exchange::write_layout_drawing(*tests::read(tree), {}, file);
    CHECK(r.files.size() >= 2);
    CHECK(text_of(r.files.front()).find("<symbol") ==
          std::string::npos);  // text is drawn as shapes: every reader shows it
    for (const std::string& f : r.files) std::filesystem::remove(f);
}

TEST_CASE("placements as CSV: one line each, quoted where the name needs it, what stands in the cell") {
    const std::string csv = exchange::placements_csv(*block(1000, 600, 123.4567, -20));
    CHECK(
        csv.find(
            "b,\"Block, \"\"large\"\"\",structure,floor,123.4567,-20,0,0,0,0,123.4567,-20,0,0,0,0,1000,600,300\r\n") !=
        std::string::npos);
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 2);
}
