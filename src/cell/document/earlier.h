#pragma once
// Another state of a document, kept as what leads back to it: hundreds of steps that can be undone take little room.

#include <optional>

#include "document.h"

namespace escarp::cell {

class Earlier {
public:
    /// `that`, to be had again from `now`.
    Earlier(const Document& that, const Document& now);
    /// `now` is the document that this was made with.
    Document from(const Document& now) const;

private:
    Operations back_;
    std::optional<Document> whole_;  ///< where operations alone would not give it exactly
};

}  // namespace escarp::cell
