#pragma once
// Draws a band round devices: those that lie wholly within it are selected, too.

#include "floor_hand.h"

namespace escarp::desktop {

class BandHand : public FloorHand {
public:
    BandHand(FloorView& floor, const QPointF& at) : FloorHand(floor, Holds::band), pressed_(at), now_(at) {}
    void move(const Pointer& at) override;
    void release(const Pointer& at) override;
    void draw(QPainter& p) const override;

private:
    const QPointF pressed_;
    QPointF now_;
};

}  // namespace escarp::desktop
