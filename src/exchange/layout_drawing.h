#pragma once
// The layout as a drawing to scale for the people who build it: plan, dimensions, title block, table of placements.

#include <string>
#include <vector>

#include <cell/model/cell.h>

namespace escarp::exchange {

struct DrawingOptions {
    std::string sheet = "A3";  ///< A0 to A4 (ISO 216), landscape
    double scale = 0;          ///< 25 means 1:25; 0: the largest of the usual scales that fits
    std::string cell_name, variant, number, drawn_by, date;
    bool dimensions = true, table = true, names = true;
};

struct DrawingResult {
    std::vector<std::string> files;  ///< one PDF, or an SVG for each sheet
    double scale = 0;
};

/// `file` ends in .pdf or .svg. Throws InputError: a sheet or ending that is not known, a scale at which the cell does
/// not fit (with the one that does), a file that cannot be written.
DrawingResult write_layout_drawing(const cell::Cell& cell, const DrawingOptions& options, const std::string& file);

}  // namespace escarp::exchange
