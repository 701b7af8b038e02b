#pragma once
// The space that the selected mover sweeps, over its task or the selected step, found in the background: coarse first.

#include <inspection/zones.h>

#include "background.h"
#include "selection.h"
#include "view_options.h"

namespace escarp::desktop {

class SweptShown : public QObject {
    Q_OBJECT
public:
    explicit SweptShown(
        const Results& results, Selection& selection, ViewOptions& view_options, QObject* parent = nullptr);
    /// Null: nothing is asked for, or nothing is found yet.
    std::shared_ptr<const geometry::Volume> volume() const { return volume_; }
    bool finest() const;  ///< nothing finer comes

Q_SIGNALS:
    void changed();

private:
    struct Question {
        std::shared_ptr<const study::Evaluation> evaluation;
        int device = -1, step = -1;
        double resolution = 0;  ///< m
        std::shared_ptr<inspection::Cache> cache = nullptr;
        bool operator==(const Question&) const = default;
    };
    void look();

    const Results& results_;
    Selection& selection_;
    ViewOptions& view_options_;
    std::shared_ptr<const geometry::Volume> volume_;
    Background<Question, std::shared_ptr<const geometry::Volume>> behind_;
};

}  // namespace escarp::desktop
