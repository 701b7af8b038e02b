#include "view_options.h"

namespace escarp::desktop {

ViewOptions::ViewOptions(const OpenCell& open, QObject* parent) : QObject(parent) {
    connect(&open, &OpenCell::begins, this, [this] { hidden_.clear(), signal_lanes_.clear(); });
    connect(&open.surfaces(), &Surfaces::loaded, this, &ViewOptions::shown_changed);
    connect(&open.surfaces(), &Surfaces::missing, this, &ViewOptions::shown_changed);
}

void ViewOptions::set_shown(const Shown& shown) {
    if (shown == shown_) return;
    shown_ = shown;
    Q_EMIT shown_changed();
}

void ViewOptions::set_hidden(const QSet<QString>& devices) {
    if (devices == hidden_) return;
    hidden_ = devices;
    Q_EMIT shown_changed();
}

void ViewOptions::show_signal_lane(const QString& signal, bool on) {
    if (signal_lanes_.contains(signal) == on) return;
    if (on) signal_lanes_ << signal;
    else signal_lanes_.removeOne(signal);
    Q_EMIT lanes_changed();
}

void ViewOptions::set_nearest(const inspection::LeastClearance* nearest) {
    if (!nearest && !nearest_) return;
    if (nearest) nearest_ = *nearest;
    else nearest_.reset();
    Q_EMIT nearest_changed();
}

}  // namespace escarp::desktop
