#pragma once
// What was done and can be undone, and what can be done again.

#include <QString>
#include <optional>
#include <vector>

#include <cell/document/earlier.h>

namespace escarp::desktop {

class UndoHistory {
public:
    /// A document, and the variant that is looked at in it.
    struct State {
        cell::Document document;
        QString variant;
    };
    void clear() { undo_.clear(), redo_.clear(); }
    /// An edit leads from `earlier` to `now`: what could be done again no longer can.
    void remember(const State& earlier, const cell::Document& now, const QString& name);
    /// So many edits back; below 0: so many are done again. No more than there are; returns the name of the last one.
    std::optional<QString> go_back(int edits, State& now);

    int depth() const { return static_cast<int>(undo_.size()); }  ///< edits that can be undone
    int redo_depth() const { return static_cast<int>(redo_.size()); }
    int forgotten() const { return forgotten_; }  ///< so many older ones are not kept any more
    QString undo_name() const { return undo_.empty() ? QString() : undo_.back().name; }
    QString redo_name() const { return redo_.empty() ? QString() : redo_.back().name; }

private:
    struct Step {
        cell::Earlier document;  ///< that it leads to
        QString variant, name;
    };
    std::vector<Step> undo_, redo_;
    int forgotten_ = 0;
};

}  // namespace escarp::desktop
