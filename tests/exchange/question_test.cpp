// Questions and exporters: an own one of each is a value in a list; options are held to their table.
#include <catch2/catch.hpp>

#include <exchange/question.h>
#include <exchange/result_json.h>

#include "support/cells.h"
#include "support/folder.h"

using namespace escarp;
using exchange::Answer;
using exchange::Asked;

namespace {

// [example: a question]
/// How many devices stand higher than so much: a question from the outside.
exchange::Question high_question() {
    return {"high", "devices that are higher than that",
        {cell::field::number("above_mm", "height", 0, 1e4).usually(1000)}, [](Asked& a) {
            int n = 0;
            for (const cell::Device& d : a.cell().devices) n += d.extent().high.z() > a.options().number("above_mm");
            return Answer{{{"devices", n}}, std::to_string(n) + " devices\n"};
        }};
}

// [end]

// [example: an exporter]
/// Names, one a line: an exporter from the outside.
exchange::Exporter names_exporter() {
    return {"names", "Names", "the devices' names", {"txt"}, {cell::field::flag("with_kind", "with their kind", false)},
        {}, [](Asked& a) {
            std::string out;
            for (const cell::Device& d : a.cell().devices)
                out += d.name + (a.options().flag("with_kind") ? " (" + d.kind->label() + ")" : "") + "\n";
            return out;
        }};
}
// [end]

}  // namespace

TEST_CASE("a question and an exporter from the outside are asked and written like those that come along") {
    const cell::Layout layout = simulation::layout(tests::demo(), "A");
    const int all = static_cast<int>(layout.cell().devices.size());
    const Answer low = exchange::ask(high_question(), layout, {{"above_mm", 0}});
    const Answer usual = exchange::ask(high_question(), layout, cell::json::object());
    CHECK(low.result["devices"].get<int>() > usual.result["devices"].get<int>());
    CHECK(low.result["devices"].get<int>() <= all);
    CHECK_THROWS_AS(exchange::ask(high_question(), layout, {{"above_mm", -1}}), cell::InputError);
    CHECK_THROWS_AS(exchange::ask(high_question(), layout, {{"above_mm", "tall"}}), cell::InputError);
    const std::string names = exchange::export_to(names_exporter(), layout, cell::json::object(), "").words;
    CHECK(std::count(names.begin(), names.end(), '\n') == all);
    const tests::Folder folder;
    exchange::export_to(names_exporter(), layout, {{"with_kind", true}}, folder / "names.txt");
    CHECK(folder.read("names.txt").find("(Conveyor)") != std::string::npos);
    CHECK_THROWS_AS(
        exchange::export_to(names_exporter(), layout, cell::json::object(), "/nowhere/at/all.txt"), cell::InputError);
}

TEST_CASE("every question that needs no more than a cell and an arm has an answer on the demo") {
    const cell::Layout layout = simulation::layout(tests::demo(), "A");
    int asked = 0;
    for (const exchange::Question& q : exchange::questions()) {
        if (q.name == "shape") continue;      // the demo has no imported geometry
        if (q.name == "calibrate") continue;  // nothing was measured of it; see calibrate_test
        cell::json said = cell::json::object();
        for (const cell::Field& f : q.options) {
            if (!f.needed()) continue;
            if (f.key == "arm") said[f.key] = "arm1";
            else if (f.key == "device") said[f.key] = "arm1";
            else if (f.key == "zone") said[f.key] = "arm1:arm2:1";
            else if (f.key == "at") said[f.key] = 12.5;
            else if (f.key == "joints") said[f.key] = {0, 0, 0, 0, 90, 0};
            else if (f.key == "pose") said[f.key] = {1500, 900, 900, 180, 0, 0};
        }
        INFO(q.name);
        const Answer answer = exchange::ask(q, layout, said);
        CHECK_FALSE(answer.result.is_null());
        ++asked;
        for (const auto& [key, value] : said.items()) {  // without any of them it is refused, with the key
            cell::json less = said;
            less.erase(key);
            try {
                exchange::ask(q, layout, less);
                FAIL("it was not refused");
            } catch (const cell::InputError& e) {
                CHECK(e.problems().front().where.find(key) != std::string::npos);
            }
        }
    }
    CHECK(asked >= 8);
}
