#pragma once
// One variant of a document, read: what edits, views and evaluations work on.

#include <cell/document/document.h>
#include <cell/model/cell.h>

namespace escarp::cell {

/// A value; copies share what was read, and it is read once, when it is first asked for. Safe to use from several
/// threads.
/// Keys of a cell, at its top, that no figure depends on.
const std::vector<std::string>& keys_without_figures();

class Layout {
public:
    Layout(Document document, std::string variant, const Kinds& kinds);

    const Document& document() const;
    const std::string& variant() const;
    const Kinds& kinds() const;
    /// The whole cell as the variant has it. Throws InputError where there is no such variant.
    const json& tree() const;
    /// Of all in the tree that figures depend on, without what none does (its name, views, studies ...): equal for
    /// cells whose figures are the same.
    const std::string& content() const;
    /// Differences of the variant that no longer fit.
    const std::vector<std::string>& lost() const;
    /// Throws InputError with every problem where the cell makes no sense.
    const Cell& cell() const { return *shared_cell(); }
    std::shared_ptr<const Cell> shared_cell() const;

    /// After an edit made while looking at it. Throws InputError.
    Layout edited(const Edit& edit) const;

private:
    struct State;
    std::shared_ptr<State> state_;
};

}  // namespace escarp::cell
