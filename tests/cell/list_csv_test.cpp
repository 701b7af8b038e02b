#include <catch2/catch.hpp>

#include <cell/edits/named/named_edit.h>
#include <simulation/kinds.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

cell::Document with_infeed() {
    json tree = tests::belt_cell(5, 200, 2000, 20);
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["baseline"] = "A";
    return cell::Document::parse(tree.dump());
}
json read(const std::string& key, const std::string& csv) {
    const cell::Layout layout = simulation::layout(with_infeed(), "A");
    const cell::Change change =
        cell::carry_out(layout, {{"do", "read list"}, {"device", "in"}, {"key", key}, {"csv", csv}});
    simulation::layout(change.document, "A").cell();  // as whoever takes it does
    return change.document.tree()["devices"][1][key];
}
std::string refused(const std::string& key, const std::string& csv) {
    try {
        read(key, csv);
    } catch (const cell::InputError& e) {
        return e.problems().front().message;
    }
    return "taken";
}

}  // namespace

TEST_CASE("a timetable and a mix come in from comma-separated values") {
    CHECK(read("timetable", "at_s,part_type\r\n0,block60\r\n1.5 ; block60\n\n\"7\",\n9") ==
          json({{{"at_s", 0.0}, {"part_type", "block60"}}, {{"at_s", 1.5}, {"part_type", "block60"}}, {{"at_s", 7.0}},
              {{"at_s", 9.0}}}));
    CHECK(read("mix", "block60,3") == json({{{"part_type", "block60"}, {"share", 3.0}}}));
}

TEST_CASE("a line that cannot be read is told with line and column, and nothing changes") {
    CHECK(refused("timetable", "0\n1,block60\nx,block60") == "Line 3, column 1: \"x\" is no number; at is expected.");
    CHECK(
        refused("timetable", "0,block60\n3,cube").find("Line 2, column 3: \"cube\" is not the id of a part type") == 0);
    CHECK(refused("timetable", "0,block60,4,5").find("Line 1, column 11: at most 2 columns") == 0);
    CHECK(refused("timetable", "1,\"block60").find("Line 1, column 3: the quotation mark is never closed") == 0);
    CHECK(refused("timetable", "-1").find("from 0.0 to") != std::string::npos);
    CHECK(refused("timetable", "\n \n").find("no line with values") != std::string::npos);
    CHECK(refused("mix", "block60").find("share is missing in this line") != std::string::npos);
    CHECK(refused("poses", "1").find("it has mix, timetable") != std::string::npos);
    CHECK(refused("timetable", "5\n4").find("rising order") != std::string::npos);  // as typed by hand
}
