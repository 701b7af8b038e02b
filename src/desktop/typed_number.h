#pragma once
// Numbers as people type them: units and sums ("1.2 m", "650+45", "1/4 turn").

#include <QString>
#include <optional>

namespace escarp::desktop {

/// The value in `unit` (mm, deg, s, kg, N, % ... as the file has it), or nothing if the text is not a number in it.
/// Knows + - * / and parentheses; a unit may follow any term: um mm cm m in, deg rad turn, ms s min h, g kg.
std::optional<double> typed_number(const QString& text, const QString& unit);
/// As short as it can be without losing anything an engineer typed.
QString shown_number(double value);

}  // namespace escarp::desktop
