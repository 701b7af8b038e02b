#include "plots.h"

#include "theme.h"

namespace escarp::desktop {

void dress(QCustomPlot& plot) {
    plot.setBackground(QBrush(theme::panel));
    plot.setMouseTracking(true);
    plot.setNoAntialiasingOnDrag(false);
    for (QCPAxis* axis : {plot.xAxis, plot.yAxis}) {
        axis->setBasePen(QPen(theme::muted));
        axis->setTickPen(QPen(theme::muted));
        axis->setSubTickPen(QPen(theme::rule));
        axis->setTickLabelColor(theme::ink);
        axis->setLabelColor(theme::muted);
        axis->setTickLabelFont(theme::font(11));
        axis->setLabelFont(theme::font(11));
        axis->grid()->setPen(QPen(theme::rule, 1, Qt::DotLine));
        axis->grid()->setZeroLinePen(Qt::NoPen);
    }
}

}  // namespace escarp::desktop
