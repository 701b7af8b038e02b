#include "workspace.h"

#include <algorithm>

namespace escarp::desktop {

// What comes first hears of changes first: the playhead is within the run, and the scene is that of the new instant,
// before any view asks.
Workspace::Workspace(std::shared_ptr<inspection::Cache> cache)
    : results(std::move(cache)),
      open(results),
      selection(open),
      view_options(open),
      playhead(open, results),
      hand(open, results, selection, playhead),
      shown(open, results, selection, playhead, hand) {}

geometry::Frame Workspace::tool_by_hand() const {
    const int arm = hand.arm();
    return arm < 0 ? geometry::Frame::Identity() : shown.scene().mover(arm)->tool;
}

bool Workspace::settled(bool every_variant) const {
    const auto own = results.of(open.variant());
    if (results.to_be_told() || !results.current(open.variant()) || (own && !own->complete)) return false;
    if (!every_variant || open.trying()) return true;
    const auto all = open.document().variants();
    return std::all_of(all.begin(), all.end(),
        [this](const cell::VariantInfo& v) { return results.current(QString::fromStdString(v.id)); });
}

}  // namespace escarp::desktop
