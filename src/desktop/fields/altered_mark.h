#pragma once
// Values that the variant looked at alters.

#include <QLabel>

#include <desktop/session/open_cell.h>

namespace escarp::desktop {

/// A value that this variant alters is marked; its menu puts it back or hands it on. `path`: of the value; `context`
/// lives as long as the field does.
void mark_altered(OpenCell& open, QObject* context, QWidget* field, QLabel* label, const std::string& path);

}  // namespace escarp::desktop
