#include "report.h"

#include <algorithm>
#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <cmath>
#include <filesystem>
#include <set>

#include <cell/model/field.h>
#include <simulation/kinds.h>

#include "cairo_bytes.h"
#include "csv.h"
#include "report_pictures.h"
#include "today.h"

namespace escarp::exchange {
namespace {

using cell::json;

std::string span(const study::Estimate& e, const study::Measure& m) {
    if (e.count == 0) return "-";
    study::Measure bare = m;
    bare.unit.clear();
    const std::string half = study::with_unit(e.half_width().value_or(0), bare);
    const bool shows = half.find_first_not_of("0.") != std::string::npos;
    return study::with_unit(e.mean, m) + (shows ? " \u00b1 " + half : "");
}

/// A variant with everything that is said about it.
struct Judged {
    std::string id, name;
    cell::Layout layout;
    std::shared_ptr<const study::Evaluation> evaluation;
    study::Replicated runs;      ///< of the figures of chance
    study::FigureValues first;   ///< all other figures, of the first run
    /// A figure as the window shows it.
    study::Estimate figure(const study::Measure& m) const {
        if (const study::Estimate e = runs.of(m.id); e.count > 0) return e;
        const auto found = first.find(m.id);
        return found == first.end() ? study::Estimate{} : study::estimate({found->second});
    }
    bool sound() const {
        const auto& all = evaluation->inspection->findings;
        return std::none_of(all.begin(), all.end(),
            [](const inspection::Finding& f) { return f.severity == inspection::Severity::stop; });
    }
};

class Maker {
public:
    Maker(
        const cell::Layout& layout, const ReportOptions& o, inspection::Cache& cache, const study::EvaluateOptions& how)
        : document_(layout.document()), o_(o), cache_(cache), how_(how) {
        for (const char* id : {"cycle_s", "rate_per_h", "waiting_pct", "inside_s", "reach_margin_mm", "clearance_mm",
                 "stops", "floor_m2", "travel_m", "price", "cost_per_part"})
            rows_.push_back(&study::measure(id, ""));
        study::ReplicateOptions often;
        often.repetitions = o.repetitions;
        for (const cell::VariantInfo& v : document_.variants()) {
            const cell::Layout one = simulation::layout(document_, v.id);
            Judged j{v.id, v.name, one,
                study::with_zones(*study::evaluate(one, cache, how), cache, how.stop, true), {}, {}};
            j.runs = study::replicate(
                one.shared_cell(), study::measures_of(study::figures_of_chance(), ""), cache, how, often);
            const study::Sample sample{*j.evaluation, study::stretch_of(*j.evaluation->run), cache, how.stop};
            for (const study::Measure* m : rows_)
                if (const auto value = m->of(sample); value && std::isfinite(*value)) j.first[m->id] = *value;
            variants_.push_back(std::move(j));
        }
    }

    Report make() {
        heading(document_.name(), 1);
        text("Escarp \u00b7 " + (o_.date.empty() ? today() : o_.date) + " \u00b7 " + std::to_string(variants_.size()) +
             (variants_.size() == 1 ? " layout" : " layouts"));
        heading("The question", 2);
        text(o_.question.empty() ? "Which of these layouts is the best one, and why?" : o_.question);
        heading("The answer", 2);
        text(answer(), true);
        heading("The layouts", 2);
        std::vector<std::pair<std::string, std::shared_ptr<const cell::Cell>>> drawn;
        for (const Judged& v : variants_) drawn.emplace_back(v.id + "  " + v.name, v.evaluation->cell);
        r_.blocks.emplace_back(layouts_picture(drawn));
        figures();
        studies();
        differences();
        findings();
        assumptions();
        return std::move(r_);
    }

private:
    void heading(const std::string& words, int level) { r_.blocks.emplace_back(Report::Heading{words, level}); }
    void text(const std::string& words, bool strong = false) { r_.blocks.emplace_back(Report::Text{words, strong}); }

    std::string answer() const {
        std::vector<const study::Replicated*> all;
        std::vector<std::string> names;
        std::string unsound;
        for (const Judged& v : variants_) {
            if (v.sound()) all.push_back(&v.runs), names.push_back(v.id + " (" + v.name + ")");
            else unsound += (unsound.empty() ? "" : ", ") + v.id;
        }
        const study::Measure& cycle = *rows_.front();
        const study::Ranking ranking = study::rank(all, cycle);
        std::string out;
        if (ranking.places.empty()) out = "No layout runs without a stop finding.";
        else {
            const study::Ranking::Place& best = ranking.places.front();
            out = names[best.which] + " has the least cycle: " + span(best.estimate, cycle) + ".";
            if (ranking.places.size() > 1) out += " " + study::in_words(ranking, cycle, names);
            const double takt = variants_.front().evaluation->cell->takt;
            if (takt > 0) {
                std::string meets;
                for (const study::Ranking::Place& p : ranking.places)
                    if (p.estimate.high() <= takt) meets += (meets.empty() ? "" : ", ") + names[p.which];
                out += meets.empty() ? " None meets the takt of " : " The takt of ";
                out += study::with_unit(takt, cycle) + (meets.empty() ? "." : " is met by " + meets + ".");
            }
        }
        if (!unsound.empty() && !ranking.places.empty()) out += " Left out for stop findings: " + unsound + ".";
        return out;
    }

    void figures() {
        heading("The figures", 2);
        Report::Table table;
        table.head = {""};
        for (const Judged& v : variants_) table.head.push_back(v.id + "  " + v.name);
        for (const study::Measure* m : rows_) {
            std::vector<std::string> row{m->label};
            std::vector<bool> best{false};
            std::optional<double> least;
            bool same = true;
            for (const Judged& v : variants_) {
                const study::Estimate e = v.figure(*m);
                row.push_back(span(e, *m));
                same = same && row.back() == row[1];
                if (e.count == 0) continue;
                const double value = m->better > 0 ? -e.mean : e.mean;
                if (!least || value < *least) least = value;
            }
            if (std::all_of(row.begin() + 1, row.end(), [](const std::string& s) { return s == "-" || s == "0"; }))
                continue;
            for (const Judged& v : variants_) {
                const study::Estimate e = v.figure(*m);
                best.push_back(
                    !same && m->better != 0 && e.count > 0 && least && (m->better > 0 ? -e.mean : e.mean) == *least);
            }
            table.rows.push_back(std::move(row));
            table.best.push_back(std::move(best));
        }
        r_.blocks.emplace_back(std::move(table));
        std::vector<std::pair<std::string, study::Estimate>> cycles;
        for (const Judged& v : variants_)
            if (const study::Estimate e = v.runs.of("cycle_s"); e.count > 0)
                cycles.emplace_back(v.id + "  " + v.name, e);
        if (cycles.empty()) return;
        const double takt = variants_.front().evaluation->cell->takt;
        Report::Picture picture =
            estimates_picture(cycles, *rows_.front(), takt > 0 ? std::optional(takt) : std::nullopt);
        picture.caption = "Cycle; a bar is where the mean lies with 95 % confidence, where chance has a say.";
        r_.blocks.emplace_back(std::move(picture));
    }

    /// What has been asked of the cell, of the variant that has most of it.
    void studies() {
        if (o_.results.empty()) return;
        if (!std::filesystem::exists(o_.results))
            throw cell::InputError(o_.results, "There is no such file of results.");
        study::Results results(o_.results);
        bool first = true;
        for (const Judged& v : variants_)
            for (const cell::Study& s : v.evaluation->cell->studies) {
                study::AskOptions ask;
                ask.results = &results;
                ask.only_found = true;
                ask.how = how_;
                std::shared_ptr<const study::Answered> a;
                try {
                    a = std::make_shared<const study::Answered>(study::ask(v.layout, s, cache_, ask));
                } catch (const cell::InputError&) {
                    continue;  // it cannot be asked of this variant
                }
                if (!a->whole || a->kept_runs == 0) continue;
                if (std::exchange(first, false)) heading("Studies", 2);
                heading(s.name + ", layout " + v.id, 3);
                text(study::in_words(*a));
                if (!a->tried.empty()) r_.blocks.emplace_back(study_picture(a));
            }
    }

    void differences() {
        if (variants_.size() < 2) return;
        const std::string base = document_.baseline();
        const json from = document_.resolved(base);
        heading("What differs from " + base, 2);
        for (const Judged& v : variants_) {
            if (v.id == base) continue;
            std::string words;
            for (const cell::Operation& op : document_.differences(v.id)) {
                const std::string what = cell::meaning_of_path(v.layout.tree(), op.at, v.layout.kinds()).words;
                const auto said = [](const json* value) {
                    return value ? cell::value_in_words(*value) : std::string("-");
                };
                words += (words.empty() ? "" : "; ") + what;
                if (op.kind == cell::Operation::Kind::set)
                    words += " " + said(cell::find(from, op.at)) + " \u2192 " + said(&op.value);
                else words += op.kind == cell::Operation::Kind::remove ? " taken away" : " changed";
            }
            text(v.id + "  " + v.name + ": " + (words.empty() ? "nothing" : words) + ".");
        }
    }

    void findings() {
        heading("Findings", 2);
        for (const Judged& v : variants_) {
            std::string words;
            for (const inspection::Finding& f : v.evaluation->inspection->findings)
                if (f.severity != inspection::Severity::note)
                    words += (words.empty() ? "" : " ") + std::string(word(f.severity)) + ": " + f.title + ".";
            text(v.id + "  " + v.name + ": " + (words.empty() ? "no problems found." : words));
        }
    }

    /// Times and parts that the figures hang on, of the baseline; where a variant has others, that stands among what
    /// differs.
    void assumptions() {
        heading("What was assumed", 2);
        const auto base = std::find_if(
            variants_.begin(), variants_.end(), [&](const Judged& v) { return v.id == document_.baseline(); });
        const cell::Cell& c = *base->evaluation->cell;
        Report::Table table;
        table.head = {"", "", ""};
        for (const cell::PartType& p : c.part_types) {
            char mass[40];
            std::snprintf(mass, sizeof mass, "%g kg", p.mass);
            table.rows.push_back({"Part", p.name, mass});
        }
        for (const cell::Device& d : c.devices) {
            const json* values = cell::find(base->layout.tree(), cell::at_device(d.id));
            for (const cell::Field& f : d.kind->fields()) {
                const std::string unit = cell::unit_sign(f.key);
                if (f.type != cell::Field::Type::number || (unit != "s" && unit != "mm/s") || !values->contains(f.key))
                    continue;
                const json& v = (*values)[f.key];
                table.rows.push_back({d.name, f.label, cell::value_in_words(v) + " " + unit});
            }
        }
        for (const cell::ToolModel& t : c.tool_models) {
            char times[80];
            std::snprintf(times, sizeof times, "closes in %g s, opens in %g s", t.close_s, t.open_s);
            table.rows.push_back({"Tool", t.name, times});
        }
        r_.blocks.emplace_back(std::move(table));
        std::size_t most = 0;
        for (const Judged& v : variants_) most = std::max(most, v.runs.runs.size());
        char words[200];
        std::snprintf(words, sizeof words, "Safety distance %g mm. Seed %llu.", 1e3 * c.safety_distance,
            static_cast<unsigned long long>(c.seed));
        text(std::string(words) +
             (most > 1 ? " Where chance has a say: " + std::to_string(most) +
                             " repetitions on the same random draws for every layout, after the warm-up; "
                             "intervals hold the mean with 95 % confidence, comparisons are by paired differences. "
                             "Reach, clearance, findings and what else has no interval are those of the first run."
                       : " Nothing in these layouts is left to chance: every figure is exact."));
    }

    const cell::Document document_;
    const ReportOptions& o_;
    inspection::Cache& cache_;
    const study::EvaluateOptions& how_;
    std::vector<const study::Measure*> rows_;
    std::vector<Judged> variants_;
    Report r_;
};

// ---- as pages

constexpr double page_w = 595.28, page_h = 841.89, margin = 48, inner = page_w - 2 * margin;

class Pages {
public:
    explicit Pages(cairo_t* c) : c_(c) {}
    void block(const Report::Heading& h) {
        const double size = h.level == 1 ? 20 : h.level == 2 ? 12 : 10;
        room(h.level == 3 ? 280 : size * 3 + 30);  // what it is of follows on the same page
        y_ += h.level == 1 ? 6 : 10;
        font(size, true);
        ink();
        for (const std::string& line : wrapped(h.text, inner, size, true)) put(margin, line, size * 1.3);
        y_ += 2;
    }
    void block(const Report::Text& t) {
        const double size = t.strong ? 11 : 9;
        for (const std::string& line : wrapped(t.text, inner, size, t.strong)) {
            room(size * 1.4);
            font(size, t.strong);
            ink();
            put(margin, line, size * 1.4);
        }
        y_ += 3;
    }
    void block(const Report::Table& t) {
        const std::size_t columns = t.head.size();
        const double size = columns > 5 ? 7 : 8, first = columns > 5 ? 76 : 110;
        const double each = (inner - first) / static_cast<double>(std::max<std::size_t>(1, columns - 1));
        const auto row = [&](const std::vector<std::string>& cells, bool strong, const std::vector<bool>* best) {
            std::vector<std::vector<std::string>> lines;
            std::size_t high = 1;
            for (std::size_t i = 0; i < cells.size(); ++i) {
                const bool bold = strong || (best && i < best->size() && (*best)[i]);
                lines.push_back(wrapped(cells[i], (i == 0 ? first : each) - 6, size, bold));
                high = std::max(high, lines.back().size());
            }
            const double height = static_cast<double>(high) * size * 1.3 + 4;
            room(height);
            for (std::size_t i = 0; i < cells.size(); ++i) {
                font(size, strong || (best && i < best->size() && (*best)[i]));
                ink();
                for (std::size_t l = 0; l < lines[i].size(); ++l) {
                    cairo_move_to(c_, margin + (i == 0 ? 0 : first + each * static_cast<double>(i - 1)) + 2,
                        y_ + 2 + size * (1 + 1.3 * static_cast<double>(l)));
                    cairo_show_text(c_, lines[i][l].c_str());
                }
            }
            y_ += height;
            cairo_set_source_rgb(c_, 0.85, 0.82, 0.77);
            cairo_set_line_width(c_, 0.5);
            cairo_move_to(c_, margin, y_), cairo_line_to(c_, margin + inner, y_), cairo_stroke(c_);
        };
        if (std::any_of(t.head.begin(), t.head.end(), [](const std::string& s) { return !s.empty(); }))
            row(t.head, true, nullptr);
        for (std::size_t i = 0; i < t.rows.size(); ++i) row(t.rows[i], false, i < t.best.size() ? &t.best[i] : nullptr);
        y_ += 6;
    }
    void block(const Report::Picture& p) {
        const double high = std::min(inner / p.wide_by_high, 420.0), wide = std::min(inner, high * p.wide_by_high);
        room(high + 18);
        cairo_save(c_);
        cairo_translate(c_, margin + 0.5 * (inner - wide), y_);
        p.draw(c_, wide, high);
        cairo_restore(c_);
        y_ += high + 4;
        if (!p.caption.empty()) block(Report::Text{p.caption});
    }
    void end() {
        foot();
        cairo_show_page(c_);
    }

private:
    void ink() { cairo_set_source_rgb(c_, 0.12, 0.16, 0.2); }
    void font(double size, bool strong) {
        cairo_select_font_face(
            c_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, strong ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(c_, size);
    }
    double width_of(const std::string& text) {
        cairo_text_extents_t e;
        cairo_text_extents(c_, text.c_str(), &e);
        return e.x_advance;
    }
    void put(double x, const std::string& line, double down) {
        cairo_move_to(c_, x, y_ + 0.78 * down);
        cairo_show_text(c_, line.c_str());
        y_ += down;
    }
    void foot() {
        font(7.5, false);
        cairo_set_source_rgb(c_, 0.36, 0.41, 0.44);
        const std::string number = std::to_string(page_);
        cairo_move_to(c_, page_w - margin - width_of(number), page_h - 26);
        cairo_show_text(c_, number.c_str());
    }
    void room(double height) {
        if (y_ + height <= page_h - margin) return;
        end();
        ++page_;
        y_ = margin;
    }
    std::vector<std::string> wrapped(const std::string& text, double width, double size, bool strong) {
        font(size, strong);
        std::vector<std::string> out;
        std::string line;
        const auto add = [&](std::string word) {
            if (!line.empty() && width_of(line + " " + word) > width) out.push_back(std::exchange(line, {}));
            // A word that is wider than the column is cut where it has to be, between letters.
            while (width_of(word) > width && word.size() > 1) {
                std::size_t n = word.size();
                while (n > 1 &&
                       ((static_cast<unsigned char>(word[n]) & 0xC0) == 0x80 || width_of(word.substr(0, n)) > width))
                    --n;
                out.push_back(word.substr(0, n));
                word.erase(0, n);
            }
            line += (line.empty() ? "" : " ") + word;
        };
        std::string word;
        for (const char c : text)
            if (c == ' ' || c == '\n') {
                if (!word.empty()) add(std::exchange(word, {}));
            } else word += c;
        if (!word.empty()) add(word);
        if (!line.empty() || out.empty()) out.push_back(line);
        return out;
    }

    cairo_t* c_;
    double y_ = margin;
    int page_ = 1;
};

cairo_surface_t* pages_of(const Report& report, std::string& bytes) {
    cairo_surface_t* surface = cairo_pdf_surface_create_for_stream(gather, &bytes, page_w, page_h);
    cairo_t* c = cairo_create(surface);
    Pages pages(c);
    for (const Report::Block& b : report.blocks) std::visit([&](const auto& one) { pages.block(one); }, b);
    pages.end();
    cairo_destroy(c);
    return surface;
}

// ---- as one web page

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text)
        out += c == '&' ? "&amp;" : c == '<' ? "&lt;" : c == '>' ? "&gt;" : c == '"' ? "&quot;" : std::string(1, c);
    return out;
}

std::string base64(const std::string& bytes) {
    static const char* letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        unsigned v = 0;
        for (std::size_t j = 0; j < 3; ++j)
            v = v << 8 | (i + j < bytes.size() ? static_cast<unsigned char>(bytes[i + j]) : 0u);
        for (std::size_t j = 0; j < 4; ++j) out += i + j <= bytes.size() ? letters[v >> (18 - 6 * j) & 63] : '=';
    }
    return out;
}

struct Html {
    std::string out;
    void block(const Report::Heading& h) {
        const std::string n = std::to_string(h.level);
        out += "<h" + n + ">" + escaped(h.text) + "</h" + n + ">\n";
    }
    void block(const Report::Text& t) {
        out += std::string("<p") + (t.strong ? " class=\"answer\"" : "") + ">" + escaped(t.text) + "</p>\n";
    }
    void block(const Report::Table& t) {
        out += "<table>\n";
        const auto row = [&](const std::vector<std::string>& cells, bool head, const std::vector<bool>* best) {
            out += "<tr>";
            for (std::size_t i = 0; i < cells.size(); ++i) {
                const bool stands_out = best && i < best->size() && (*best)[i];
                const std::string tag = head || i == 0 ? "th" : "td";
                out += "<" + tag + (stands_out ? " class=\"best\"" : "") + ">" + escaped(cells[i]) + "</" + tag + ">";
            }
            out += "</tr>\n";
        };
        if (std::any_of(t.head.begin(), t.head.end(), [](const std::string& s) { return !s.empty(); }))
            row(t.head, true, nullptr);
        for (std::size_t i = 0; i < t.rows.size(); ++i) row(t.rows[i], false, i < t.best.size() ? &t.best[i] : nullptr);
        out += "</table>\n";
    }
    void block(const Report::Picture& p) {
        constexpr double wide = 760;
        const double high = std::min(wide / p.wide_by_high, 620.0);
        std::string bytes;
        cairo_surface_t* surface = cairo_svg_surface_create_for_stream(gather, &bytes, wide, high);
        cairo_t* c = cairo_create(surface);
        p.draw(c, std::min(wide, high * p.wide_by_high), high);
        cairo_destroy(c);
        cairo_surface_finish(surface);
        cairo_surface_destroy(surface);
        out += "<figure><img alt=\"" + escaped(p.caption) + "\" src=\"data:image/svg+xml;base64," + base64(bytes) +
               "\"><figcaption>" + escaped(p.caption) + "</figcaption></figure>\n";
    }
};

constexpr const char* html_head = R"(<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<style>
body { font: 15px/1.45 "DejaVu Sans", sans-serif; color: #1f2a33; background: #fcfaf5;
  max-width: 800px; margin: 2em auto; padding: 0 1em; }
h1 { font-size: 1.7em; margin-bottom: 0; } 
h2 { font-size: 1.15em; margin-top: 1.8em; border-bottom: 1px solid #d8d2c4; }
h3 { font-size: 1em; } .answer { font-weight: bold; font-size: 1.1em; }
table { border-collapse: collapse; width: 100%; font-size: 0.85em; }
th, td { text-align: left; padding: 3px 6px; border-bottom: 1px solid #d8d2c4; vertical-align: top; }
td { font-variant-numeric: tabular-nums; } .best { font-weight: bold; color: #1b7a78; }
figure { margin: 1em 0; } img { width: 100%; } figcaption { color: #5c6870; font-size: 0.85em; }
</style>
)";

bool ends_with(const std::string& text, const std::string& end) {
    return text.size() >= end.size() && text.compare(text.size() - end.size(), end.size(), end) == 0;
}

}  // namespace

Report make_report(const cell::Layout& layout, const ReportOptions& options, inspection::Cache& cache,
    const study::EvaluateOptions& how) {
    return Maker(layout, options, cache, how).make();
}

void write_report(const Report& report, const std::string& file) {
    if (ends_with(file, ".pdf")) {
        std::string bytes;
        cairo_surface_t* surface = pages_of(report, bytes);
        return write_gathered(surface, bytes, file);
    }
    if (ends_with(file, ".csv")) {  // its tables alone
        std::string out;
        for (const Report::Block& b : report.blocks) {
            const auto* table = std::get_if<Report::Table>(&b);
            if (!table) continue;
            if (!out.empty()) out += "\r\n";
            out += csv_line(table->head);
            for (const auto& row : table->rows) out += csv_line(row);
        }
        return cell::write_file(file, out);
    }
    if (!ends_with(file, ".html"))
        throw cell::InputError(file, "The report's name is expected to end in .pdf, .html or .csv.");
    Html html;
    html.out = html_head;
    if (!report.blocks.empty())
        if (const auto* h = std::get_if<Report::Heading>(&report.blocks.front()))
            html.out += "<title>" + escaped(h->text) + "</title>";
    html.out += "</head><body>\n";
    for (const Report::Block& b : report.blocks) std::visit([&](const auto& one) { html.block(one); }, b);
    html.out += "</body></html>\n";
    cell::write_file(file, html.out);
}

}  // namespace escarp::exchange
