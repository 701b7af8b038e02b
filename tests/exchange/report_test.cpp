#include <catch2/catch.hpp>

#include <exchange/report.h>
#include <exchange/study_json.h>

#include "support/cells.h"
#include "support/folder.h"

using namespace escarp;
using cell::json;

namespace {

/// A quick cell without arms, in two layouts, the second with chance in it; with a name that is no markup.
cell::Document two_layouts() {
    json tree = tests::belt_cell(5, 200, 2000, 20);
    tree["name"] = "Press <b>&\"line\"";
    tree["takt_s"] = 5.5;
    tree["variants"] = {{{"id", "A"}, {"name", "Even"}},
        {{"id", "B"}, {"name", "Uneven"},
            {"differences", {{{"at", "/devices/in/interval_s"}, {"value", "normal 6, 1"}}}}}};
    tree["baseline"] = "A";
    tree["studies"] = {{{"id", "s"}, {"name", "How fast parts come"}, {"look_at", {"cycle_s"}},
        {"vary", {{{"at", "/devices/in/interval_s"}, {"from", 4}, {"to", 6}, {"steps", 3}}}}}};
    return cell::Document::parse(tree.dump());
}

std::string all_text(const exchange::Report& r) {
    std::string out;
    for (const exchange::Report::Block& b : r.blocks) {
        if (const auto* h = std::get_if<exchange::Report::Heading>(&b)) out += h->text + "\n";
        if (const auto* t = std::get_if<exchange::Report::Text>(&b)) out += t->text + "\n";
        if (const auto* t = std::get_if<exchange::Report::Table>(&b))
            for (const auto& row : t->rows)
                for (const std::string& c : row) out += c + "|";
        if (const auto* p = std::get_if<exchange::Report::Picture>(&b)) out += p->caption + "\n";
    }
    return out;
}

std::size_t count(const std::string& text, const std::string& what) {
    std::size_t n = 0;
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) ++n;
    return n;
}

}  // namespace

TEST_CASE("a report says which layout and why, with what was assumed; chance has its intervals") {
    const cell::Layout layout = simulation::layout(two_layouts(), "A");
    inspection::Cache cache;
    exchange::ReportOptions o;
    o.question = "Which one?";
    o.date = "2026-01-02";
    const std::string said = all_text(exchange::make_report(layout, o, cache));
    CHECK(said.find("Which one?") != std::string::npos);
    CHECK(said.find("2026-01-02") != std::string::npos);
    CHECK(said.find("A (Even) has the least cycle: 5.000 s.") != std::string::npos);
    CHECK(said.find("A (Even) is better than B (Uneven) by ") != std::string::npos);
    CHECK(said.find("The takt of 5.500 s is met by A (Even).") != std::string::npos);
    CHECK(said.find(" \u00b1 ") != std::string::npos);
    CHECK(said.find("In one part every 5 \u2192 normal 6, 1") != std::string::npos);
    CHECK(said.find("30 repetitions") != std::string::npos);
    CHECK(said.find("Studies") == std::string::npos);  // none has been asked
}

TEST_CASE("studies that were asked are told of, with their picture; a file that is not there is refused") {
    const cell::Layout layout = simulation::layout(two_layouts(), "A");
    tests::Folder folder;
    inspection::Cache cache;
    {
        study::Results results(folder / "r");
        study::AskOptions ask;
        ask.results = &results;
        study::ask(layout, layout.cell().studies.front(), cache, ask);
    }
    exchange::ReportOptions o;
    o.results = folder / "r";
    const exchange::Report r = exchange::make_report(layout, o, cache);
    CHECK(all_text(r).find("How fast parts come, layout A") != std::string::npos);
    CHECK(all_text(r).find("The least cycle is 4.000 s") != std::string::npos);
    o.results = folder / "nothing";
    CHECK_THROWS_AS(exchange::make_report(layout, o, cache), cell::InputError);
    CHECK_FALSE(std::filesystem::exists(folder / "nothing"));
}

TEST_CASE("the same report as pages and as one web page that needs nothing else and takes no text for markup") {
    const cell::Layout layout = simulation::layout(two_layouts(), "A");
    tests::Folder folder;
    inspection::Cache cache;
    const exchange::Report r = exchange::make_report(layout, {}, cache);
    exchange::write_report(r, folder / "r.pdf");
    exchange::write_report(r, folder / "r.html");
    CHECK(folder.read("r.pdf").starts_with("%PDF"));
    const std::string html = folder.read("r.html");
    CHECK(html.find("<title>Press &lt;b&gt;&amp;&quot;line&quot;</title>") != std::string::npos);
    CHECK(html.find("<b>") == std::string::npos);
    CHECK(count(html, "src=\"") == count(html, "src=\"data:image/svg+xml;base64,"));
    CHECK(count(html, "src=\"") >= 2);
    CHECK(html.find("http") == std::string::npos);
    CHECK(count(html, "<table>") == count(html, "</table>"));
    exchange::write_report(r, folder / "r.csv");
    CHECK(folder.read("r.csv").starts_with(",A  Even,B  Uneven\r\ncycle,5.000 s,"));
    CHECK_THROWS_AS(exchange::write_report(r, folder / "r.txt"), cell::InputError);
    CHECK_THROWS_AS(exchange::write_report(r, "/no/such/folder/r.pdf"), cell::InputError);
}

TEST_CASE("points as a table: the cell as it is first, numbers as numbers") {
    const cell::Layout layout = simulation::layout(two_layouts(), "A");
    inspection::Cache cache;
    const study::Answered a = study::ask(layout, layout.cell().studies.front(), cache);
    const std::string csv = exchange::answer_csv(a);
    CHECK(csv.starts_with("point,In one part every,cycle (s),"));
    CHECK(csv.find("\r\nnow,,5.0,,,1,\r\n1,4.0,4.0,,,1,\r\n") != std::string::npos);
    CHECK(count(csv, "\r\n") == 5);
    const json j = exchange::answer_json(a);
    CHECK(j["best"] == 0);
    CHECK(j["points"][0]["figures"]["cycle_s"]["mean"] == 4.0);
    CHECK(j["points"][0]["set"]["/devices/in/interval_s"] == 4.0);
    CHECK(j["whole"] == true);
}
