#pragma once
// Figures of variants that chance has a say in: run again and again behind the window, roughly at first, then closer.

#include <QTimer>
#include <map>

#include <study/replicate.h>

#include "background.h"
#include "open_cell.h"

namespace escarp::desktop {

class Spreads : public QObject {
    Q_OBJECT
public:
    explicit Spreads(OpenCell& open, const Results& results, QObject* parent = nullptr);
    /// Of the variant as it is now; null while there is nothing yet, and where nothing is left to chance.
    const study::Replicated* of(const QString& variant) const;
    /// All that are wanted have been found as closely as they are looked for.
    bool complete() const { return !behind_.asked() && !soon_.isActive(); }

Q_SIGNALS:
    void found();

private:
    void look_soon();
    void look();
    struct Question {
        QString variant;
        cell::Layout layout;
        std::size_t repetitions = 0;
        bool operator==(const Question& other) const {
            return variant == other.variant && layout.content() == other.layout.content() &&
                   repetitions == other.repetitions;
        }
    };
    struct Known {
        std::string content;  ///< of the layout
        std::shared_ptr<const study::Replicated> found;
        std::size_t repetitions = 0;
    };
    bool wanted(const Question& question) const;

    OpenCell& open_;
    const Results& results_;
    std::map<QString, Known> known_;
    QTimer soon_;
    Background<Question, std::shared_ptr<const study::Replicated>> behind_;
};

}  // namespace escarp::desktop
