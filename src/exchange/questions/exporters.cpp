// What is handed on: the layout drawing, placements, arm models.

#include <exchange/io_list.h>
#include <exchange/layout_drawing.h>
#include <exchange/placements_csv.h>
#include <exchange/question.h>
#include <exchange/report.h>
#include <exchange/urdf.h>

namespace escarp::exchange {
namespace {

using namespace cell::field;

Answer draw(Asked& a, const std::string& file) {
    const cell::Document& d = a.layout().document();
    DrawingOptions o;
    o.sheet = a.options().choice("sheet");
    o.scale = a.options().number("scale", 0);
    o.number = a.options().text("number");
    o.drawn_by = a.options().text("drawn_by");
    o.date = a.options().text("date");
    o.cell_name = d.name();
    for (const cell::VariantInfo& v : d.variants())
        if (v.id == a.layout().variant()) o.variant = v.id + " " + v.name;
    const DrawingResult r = write_layout_drawing(a.cell(), o, file);
    return {{{"files", r.files}, {"scale", r.scale}},
        r.files.front() + ": scale 1:" + formatted(r.scale, "%g") +
            (r.files.size() > 1 ? ", and " + std::to_string(r.files.size() - 1) + " more sheets" : "") + "\n"};
}

Answer model(Asked& a, const std::string& file) {
    Answer answer;
    const std::vector<std::string> notes = write_urdf(a.layout().tree(), a.options().text("model"), file);
    answer.result = {{"file", file}, {"notes", notes}};
    for (const std::string& n : notes) answer.words += n + "\n";
    return answer;
}

Answer report(Asked& a, const std::string& file) {
    ReportOptions o;
    o.question = a.options().text("question");
    o.date = a.options().text("date");
    o.results = a.options().text("results");
    o.repetitions = static_cast<std::size_t>(a.options().whole("replications"));
    write_report(make_report(a.layout(), o, a.cache(), a.how()), file);
    return {{{"file", file}}, file + "\n"};
}

}  // namespace

void add_report_exporter(std::vector<Exporter>& all) {
    all.push_back({"report", "Report", "which layout and why, for who decides: PDF or one HTML file, its tables as CSV",
        {"pdf", "html", "csv"},
        {text("question", "question that it answers").usually(""),
            whole("replications", "repetitions where chance has a say", 1, 100000).usually(study::usual_repetitions),
            text("results", "file of results whose studies are told of").usually(""), text("date", "date").usually("")},
        report});
}

void add_drawing_exporter(std::vector<Exporter>& all) {
    all.push_back({"draw", "Layout drawing", "the layout as a drawing to scale, PDF or SVG", {"pdf", "svg"},
        {choice("sheet", "sheet", {"A0", "A1", "A2", "A3", "A4"}).usually("A3"),
            cell::field::number("scale", "25 for 1:25; the largest that fits if not given", 1, 10000).lacking(),
            text("number", "drawing number").usually(""), text("drawn_by", "drawn by").usually(""),
            text("date", "date").usually("")},
        draw});
}

void add_placements_exporter(std::vector<Exporter>& all) {
    all.push_back({"placements", "Placements as CSV", "where every device stands, as CSV", {"csv"}, {}, {},
        [](Asked& a) { return placements_csv(a.cell()); }});
}

void add_io_exporter(std::vector<Exporter>& all) {
    all.push_back({"io-list", "I/O list", "addresses and signals, as CSV or as printed pages", {"pdf", "csv"}, {},
        [](Asked& a, const std::string& file) {
            const std::string variant = a.layout().variant();
            write_io_list(a.cell(), "I/O list of " + a.cell().name + ", variant " + variant, file);
            return Answer{{{"file", file}, {"signals", a.cell().signals.size()}},
                file + ": " + std::to_string(a.cell().signals.size()) + " signals\n"};
        }});
}

void add_urdf_exporter(std::vector<Exporter>& all) {
    all.push_back(
        {"write-urdf", "Arm model as URDF", "an arm model as a URDF robot description, surfaces as STL beside it",
            {"urdf", "xml"}, {of(cell::Field::Type::arm_model, "model", "id of the arm model")}, model});
}

}  // namespace escarp::exchange
