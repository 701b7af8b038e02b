#pragma once
#include <QString>

namespace escarp::desktop {

class MainWindow;
/// Drives the window through its main views and saves a picture of each. 0, or 1 when one could not be written.
int take_shots(MainWindow& window, const QString& folder, const QString& size);

}  // namespace escarp::desktop
