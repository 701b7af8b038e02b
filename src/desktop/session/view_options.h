#pragma once
// What the views show besides the devices, which devices they leave out, and which signals have a lane of their own.

#include <QSet>
#include <optional>

#include <inspection/inspect.h>

#include "open_cell.h"

namespace escarp::desktop {

/// What the drawings show besides the devices.
struct Shown {
    bool names = true, frames = false, dimensions = true, reach = true, base = false, helpers = true,
         model_names = false, zones = true, nearness = false, swept = false;
    std::optional<double> height = {};  ///< m: that reach and swept space are shown at; none: where the arm works
    static Shown nothing() { return {false, false, false, false, false, false, false, false, false, false}; }
    bool operator==(const Shown&) const = default;
};

class ViewOptions : public QObject {
    Q_OBJECT
public:
    explicit ViewOptions(const OpenCell& open, QObject* parent = nullptr);
    const Shown& shown() const { return shown_; }
    void set_shown(const Shown& shown);
    /// Ids. Hidden devices are still checked.
    const QSet<QString>& hidden() const { return hidden_; }
    bool hidden(const std::string& device) const { return hidden_.contains(QString::fromStdString(device)); }
    void set_hidden(const QSet<QString>& devices);
    const QStringList& signal_lanes() const { return signal_lanes_; }  ///< full names
    void show_signal_lane(const QString& signal, bool on);
    /// The two points that come nearest at the time shown, where that is looked at.
    const inspection::LeastClearance* nearest() const { return nearest_ ? &*nearest_ : nullptr; }
    void set_nearest(const inspection::LeastClearance* nearest);

Q_SIGNALS:
    void shown_changed();
    void lanes_changed();
    void nearest_changed();

private:
    Shown shown_;
    QSet<QString> hidden_;
    QStringList signal_lanes_;
    std::optional<inspection::LeastClearance> nearest_;
};

}  // namespace escarp::desktop
