#pragma once
// Edits of the questions that a cell's file keeps. They belong to the cell, not to a variant of it: all of them are
// edits of the baseline.

#include <cell/model/study.h>
#include <cell/read/layout.h>

namespace escarp::cell {

/// A new question with what is usual for its sort; `made` gets its id.
Edit add_study(const Layout& layout, const std::string& asks, const std::string& name, std::string* made);
/// It varies one more number: between round values about what it is now, and within what it may be, unless `bounds`
/// says others (keys as in `varied_fields`). Nothing where it varies it already.
Edit vary(const Layout& layout, const std::string& study, const std::string& at, const json& bounds = {});
/// It no longer does.
Edit no_longer_vary(const Layout& layout, const std::string& study, const std::string& at);
/// It keeps a figure within bounds, instead of what it said of it before; neither bound: nothing more.
Edit demand(const Layout& layout, const std::string& study, const std::string& figure, std::optional<double> least,
    std::optional<double> most);

}  // namespace escarp::cell
