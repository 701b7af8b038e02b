#pragma once
// How near things come over the stretch of time that is shown, found in the background.

#include <inspection/clearance_time.h>

#include "background.h"
#include "selection.h"

namespace escarp::desktop {

class Nearness : public QObject {
    Q_OBJECT
public:
    explicit Nearness(const Results& results, Selection& selection, QObject* parent = nullptr);
    /// Of the devices that are selected (one, or two against each other), else of everything. `found` when it is known;
    /// nothing where that is what was asked for last.
    void look(double from, double to, int bins);
    void forget() { behind_.forget(); }
    /// Of what was asked for last; null until it is found.
    const inspection::ClearanceCurve* curve() const { return behind_.answer(); }
    /// The least within the stretch that holds an instant; null: nothing comes near.
    const inspection::LeastClearance* at(double t) const;
    QString title() const { return title_; }  ///< "Arm 1 \u2194 Arm 2"

Q_SIGNALS:
    void found();

private:
    struct Question {
        std::shared_ptr<const study::Evaluation> evaluation;
        double from = 0, to = 0;
        int bins = 0, one = -1, other = -1;
        std::shared_ptr<inspection::Cache> cache = nullptr;
        bool operator==(const Question&) const = default;
    };

    const Results& results_;
    Selection& selection_;
    QString title_;
    Background<Question, inspection::ClearanceCurve> behind_;
};

}  // namespace escarp::desktop
