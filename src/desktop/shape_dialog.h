#pragma once
// By how many convex pieces imported geometry is checked: what each number of them adds to its true surface, and what
// that does to the least clearance.

#include <QDialog>
#include <QSpinBox>
#include <QTableWidget>

#include <exchange/shape_cost.h>

#include "workspace.h"

namespace escarp::desktop {

class ShapeDialog : public QDialog {
    Q_OBJECT
public:
    ShapeDialog(Workspace& workspace, const QString& mesh, exchange::ShapeCosts costs, QWidget* parent);

private:
    void try_more();
    void add_row(const QString& what, const exchange::ShapeCost& cost, bool present);
    void take();

    Workspace& workspace_;
    const QString mesh_;
    exchange::ShapeCosts costs_;
    QTableWidget* table_;
    QSpinBox* most_;
};

/// For the selected device; says so where nothing of it is imported.
void ask_for_shape(Workspace& workspace, QWidget* window);

}  // namespace escarp::desktop
