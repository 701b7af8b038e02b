#pragma once
// Figures of variants that chance has a say in: run again and again behind the window, roughly at first, then closer.

#include <map>

#include <study/replicate.h>

#include "behind.h"
#include "workspace.h"

namespace escarp::desktop {

class Spreads : public QObject {
    Q_OBJECT
public:
    explicit Spreads(Workspace& workspace, QObject* parent = nullptr);
    /// Of the variant as it is now; null while there is nothing yet, and where nothing is left to chance.
    const study::Replicated* of(const QString& variant) const;
    /// All that are wanted have been found as closely as they are looked for.
    bool complete() const { return !behind_.asked(); }

Q_SIGNALS:
    void found();

private:
    void look();

    struct Question {
        QString variant;
        std::shared_ptr<const cell::Cell> cell;
        std::size_t repetitions = 0;
        bool operator==(const Question&) const = default;
    };
    struct Known {
        std::shared_ptr<const cell::Cell> cell;
        std::shared_ptr<const study::Replicated> found;
        std::size_t repetitions = 0;
    };
    Workspace& workspace_;
    std::map<QString, Known> known_;
    Behind<Question, std::shared_ptr<const study::Replicated>> behind_;
};

}  // namespace escarp::desktop
