#include "measure_hand.h"

#include "floor_view.h"

namespace escarp::desktop {

void MeasureHand::click(const Pointer& at) {
    if (corners_.size() >= 2) corners_.clear();
    corners_.push_back(corner(at));
    if (corners_.size() == 2) floor_.tell_measured(corners_[0], corners_[1]);
    floor_.update();
}

QString MeasureHand::words() const {
    if (corners_.empty()) return FloorView::tr("click the first point");
    if (corners_.size() == 1) return FloorView::tr("click the second point");
    return FloorView::tr("measured: %1 \u00b7 Esc ends measuring").arg(floor_.measured());
}

}  // namespace escarp::desktop
