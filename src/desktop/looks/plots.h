#pragma once
// The plotting library's header, and how every plot of the window looks. Only for .cpp files: the header is large.

// It is written with the keywords that are left out here, since other libraries use them as names.
#define signals Q_SIGNALS
#define slots Q_SLOTS
#define emit
#define foreach Q_FOREACH
#include <qcustomplot.h>

#undef signals
#undef slots
#undef emit
#undef foreach

namespace escarp::desktop {

/// Paper, ink, fonts and grid of this window.
void dress(QCustomPlot& plot);

}  // namespace escarp::desktop
