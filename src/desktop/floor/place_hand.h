#pragma once
// A new device hangs on the pointer, beside the others, until a click sets it down.

#include <cell/edits/compose.h>
#include <cell/edits/snap.h>

#include "floor_hand.h"

namespace escarp::desktop {

class PlaceHand : public FloorHand {
public:
    PlaceHand(FloorView& floor, cell::Offering what);
    void click(const Pointer& at) override;
    void move(const Pointer& at) override;
    void draw(QPainter& p) const override;
    QString words() const override;

private:
    void put_down();
    /// It is read once for the document that it comes to.
    struct Coming {
        cell::Layout to, with;
        cell::Edit edit;
        std::string id;
    };
    const Coming& coming();

    const cell::Offering what_;
    std::optional<Coming> coming_;
    std::vector<cell::SnapGuide> guides_;
};

}  // namespace escarp::desktop
