#include "earlier.h"

namespace escarp::cell {

Earlier::Earlier(const Document& that, const Document& now) {
    back_ = difference(now.tree(), that.tree());
    json tree = now.tree();
    for (const Operation& op : back_)
        if (!try_apply(tree, op)) break;
    if (tree == that.tree()) return;
    back_.clear();
    whole_ = that;
}

Document Earlier::from(const Document& now) const { return whole_ ? *whole_ : now.applied(back_); }

}  // namespace escarp::cell
