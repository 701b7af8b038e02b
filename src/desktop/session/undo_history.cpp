#include "undo_history.h"

#include <cstdlib>

namespace escarp::desktop {
namespace {
constexpr std::size_t most = 500;
}

void UndoHistory::remember(const State& earlier, const cell::Document& now, const QString& name) {
    undo_.push_back({cell::Earlier(earlier.document, now), earlier.variant, name});
    if (undo_.size() > most) undo_.erase(undo_.begin()), ++forgotten_;
    redo_.clear();
}

std::optional<QString> UndoHistory::go_back(int edits, State& now) {
    std::vector<Step>&from = edits < 0 ? redo_ : undo_, &to = edits < 0 ? undo_ : redo_;
    std::optional<QString> last;
    for (int left = std::abs(edits); left > 0 && !from.empty(); --left) {
        const Step step = std::move(from.back());
        from.pop_back();
        State next{step.document.from(now.document), step.variant};
        to.push_back({cell::Earlier(now.document, next.document), now.variant, step.name});
        now = std::move(next);
        last = step.name;
    }
    return last;
}

}  // namespace escarp::desktop
