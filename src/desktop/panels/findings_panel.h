#pragma once
// Findings: what is wrong, why, and the ways out, each with a preview.

#include <QScrollArea>
#include <QVBoxLayout>

#include <cell/edits/handling.h>
#include <desktop/session/spreads.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

/// Asks for the reason and leaves the clearance of a pair out.
void leave_out(OpenCell& open, QWidget* parent, const cell::Pair& pair);

class FindingsPanel : public QScrollArea {
    Q_OBJECT
public:
    FindingsPanel(Workspace& workspace, const Spreads& spreads, QWidget* parent = nullptr);

protected:
    void resizeEvent(QResizeEvent* event) override {
        QScrollArea::resizeEvent(event);
        page_->setMaximumWidth(viewport()->width());
    }

private:
    void rebuild();
    QWidget* trial_card();
    QWidget* card(const inspection::Finding& finding);
    void add_steps(QVBoxLayout& layout, const inspection::Finding& finding);
    void add_summary(bool none);
    std::vector<inspection::Finding> findings() const;

    Workspace& workspace_;
    const Spreads& spreads_;
    std::optional<int> tried_from_;  ///< how far it was scrolled when something began to be tried
    QWidget* page_;
    QVBoxLayout* cards_;
    QString built_from_;
};

}  // namespace escarp::desktop
