#pragma once
// By how many convex pieces imported geometry is checked: what each number of them adds to its true surface, and what
// that does to the least clearance.

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>

#include <desktop/session/selection.h>
#include <exchange/shape_cost.h>

namespace escarp::desktop {

class ShapeDialog : public QDialog {
    Q_OBJECT
public:
    ShapeDialog(OpenCell& open, Selection& selection, const QString& mesh, exchange::ShapeCosts costs, QWidget* parent);

private:
    /// Planes placed by hand, one after the other.
    QLayout* make_by_hand();
    void try_cut(const exchange::ShapeCut& cut);
    void cut_by_hand();
    void offer(const std::optional<geometry::CutPlane>& plane);
    void show_range();
    void add_row(const QString& what, const exchange::ShapeCost& cost, bool present);
    void take();

    OpenCell& open_;
    Selection& selection_;
    const QString mesh_;
    exchange::ShapeCosts costs_;
    QTableWidget* table_;
    QSpinBox* most_;
    std::vector<geometry::CutPlane> planes_;
    std::optional<geometry::CutPlane> best_;
    QComboBox* axis_ = nullptr;
    QDoubleSpinBox* at_ = nullptr;
    QLabel* offered_ = nullptr;
    QPushButton* undo_ = nullptr;
};

/// For the selected device; says so where nothing of it is imported.
void ask_for_shape(OpenCell& open, Selection& selection, QWidget* window);

}  // namespace escarp::desktop
