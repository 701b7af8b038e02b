#pragma once
// The tag beside the selected device: where it stands, and relative to what.

#include <QComboBox>
#include <QLabel>
#include <QWidget>

#include <cell/edits/arrange.h>
#include <desktop/fields/number_field.h>
#include <desktop/session/selection.h>
#include <desktop/session/view_options.h>

namespace escarp::desktop {

class PlacementTag : public QWidget {
    Q_OBJECT
public:
    PlacementTag(OpenCell& open, Selection& selection, ViewOptions& view_options, QWidget* parent);
    void show_device();  ///< the selected one; hidden without
    /// Puts the keyboard into one of its fields ("place_x").
    void enter(const QString& field);

private:
    enum class Number { x, y, z, turn };
    /// The edit that gives a number of the selected device a value, in the frame that is chosen for reading.
    cell::Edit edit_for(Number number, double value) const;
    geometry::Frame frame() const;
    void fill_frames();
    void paintEvent(QPaintEvent*) override;

    OpenCell& open_;
    Selection& selection_;
    ViewOptions& view_options_;
    NumberField *x_, *y_, *z_, *turn_;
    QComboBox* relative_;
    QString reading_ = "host";  ///< "host", "floor" or a device's id
};

}  // namespace escarp::desktop
