#pragma once
// What is selected: devices, the first of them with one of its steps.

#include "open_cell.h"

namespace escarp::desktop {

struct Selected {
    QString device, step;  ///< ids; empty: nothing
    bool operator==(const Selected&) const = default;
};

class Selection : public QObject {
    Q_OBJECT
public:
    explicit Selection(const OpenCell& open, QObject* parent = nullptr);
    /// The one whose numbers are shown.
    const Selected& first() const { return first_; }
    void select(const QString& device, const QString& step = {});
    /// Several; the first is the one whose numbers are shown.
    void select_devices(const QStringList& devices);
    void toggle(const QString& device);
    QStringList all() const;  ///< the first one first
    bool has(const std::string& device) const;
    std::vector<int> indexes() const;
    /// A device with those of its group.
    QStringList group_of(const QString& device) const;

Q_SIGNALS:
    void selection_changed();

private:
    void leave_what_is_gone();
    const OpenCell& open_;
    Selected first_;
    QStringList also_;
};

}  // namespace escarp::desktop
