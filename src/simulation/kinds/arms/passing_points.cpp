#include "passing_points.h"

#include <iterator>

namespace escarp::simulation {
namespace {

const std::vector<std::string>& motion_words() {
    static const std::vector<std::string> all{
        word(BlockKind::move), word(BlockKind::straight_in), word(BlockKind::straight_out), word(BlockKind::straight)};
    return all;
}
BlockKind kind_named(const std::string& w) {
    for (const BlockKind kind : {BlockKind::straight_in, BlockKind::straight_out, BlockKind::straight})
        if (w == word(kind)) return kind;
    return BlockKind::move;
}

}  // namespace

cell::Fields passing_fields(cell::Field whose, cell::Fields more) {
    using namespace cell::field;
    cell::Fields all{std::move(whose), choice("does", "does", {"asks", "gives back"}).usually("asks"),
        text("step", "in step").usually("").at_first("").explained("The id of a step of that arm."),
        choice("during", "during its", motion_words()).usually(motion_words().front()),
        number("at_pct", "after", 0, 100).usually(0).explained("Of the motion's time."),
        number("early_s", "asks early by", 0, 1000).usually(0)};
    std::move(more.begin(), more.end(), std::back_inserter(all));
    return all;
}

PassingPoint read_passing(const cell::Values& row, const std::string& whose) {
    return {whose, row.choice("does") == "asks", row.text("step"), kind_named(row.choice("during")),
        row.number("at_pct"), row.number("early_s")};
}

}  // namespace escarp::simulation
