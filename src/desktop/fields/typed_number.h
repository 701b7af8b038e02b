#pragma once
// Numbers as people type them: units and sums ("1.2 m", "650+45", "1/4 turn").

#include <QString>
#include <optional>

#include <cell/text/json.h>

namespace escarp::desktop {

/// The value in `unit` (mm, deg, s, kg, N, % ... as the file has it), or nothing if the text is not a number in it.
/// Knows + - * / and parentheses; a unit may follow any term: um mm cm m in, deg rad turn, ms s min h, g kg.
std::optional<double> typed_number(const QString& text, const QString& unit);
/// As short as it can be without losing anything an engineer typed.
QString shown_number(double value);

/// Points as they are typed, in mm: "0 0, 2000 0, 2000 1500". Null where they are not numbers in pairs.
cell::json typed_points(const QString& text);
/// Numbers in mm: "500, 3000". Null where they are not.
cell::json typed_numbers(const QString& text);
QString shown_list(const cell::json& list);

}  // namespace escarp::desktop
