#include "results.h"

#include <chrono>
#include <filesystem>
#include <mutex>
#include <sqlite3.h>

#include <cell/text/content_key.h>

#include "passive.h"

namespace escarp::study {
namespace {

using cell::json;

/// Changes whenever a figure may come out differently from what it was.
constexpr int figures_version = 1;
constexpr int application = 0x45736331;  // "Esc1": tells a file of results from other databases
constexpr auto written_within = std::chrono::milliseconds(700);

json to_json(const Outcome& o) {
    json out = {{"figures", o.run.figures}, {"looked", o.looked}};
    if (o.run.certain) out["certain"] = true;
    if (!o.refused.empty()) out["refused"] = o.refused;
    if (!o.dear.empty()) out["dear"] = o.dear;
    return out;
}

Outcome from_json(const json& j) {
    return {{j.at("figures").get<FigureValues>(), j.value("certain", false)}, j.value("refused", ""),
        j.at("looked").get<int>(), j.value("dear", std::vector<std::string>())};
}

}  // namespace

int looked_at(const std::vector<const Measure*>& wanted) {
    int level = 0, whole = 0;
    for (const Measure* m : wanted)
        level = std::max(level, static_cast<int>(m->needs)), whole = std::max(whole, m->whole_history ? 1 : 0);
    return 2 * level + (level > 0 ? 1 : whole);  // checks look at all that was
}

bool Outcome::answers(const std::vector<const Measure*>& wanted) const {
    return looked >= looked_at(wanted) && std::all_of(wanted.begin(), wanted.end(), [this](const Measure* m) {
        return !m->dear || std::find(dear.begin(), dear.end(), m->id) != dear.end();
    });
}

void Outcome::take_in(const Outcome& other) {
    if (looked < 0 || other.looked < 0) {  // not run, for a reason: whoever was knows more
        if (other.looked > looked) *this = other;
        return;
    }
    run.figures.insert(other.run.figures.begin(), other.run.figures.end());
    looked = std::max(looked, other.looked);
    for (const std::string& id : other.dear)
        if (std::find(dear.begin(), dear.end(), id) == dear.end()) dear.push_back(id);
    std::sort(dear.begin(), dear.end());
}

/// A result as the file has it. Throws InputError that names the row where it is none.
Outcome outcome_in(const std::string& file, const std::string& text, const std::string& row) {
    try {
        return from_json(json::parse(text));
    } catch (const json::exception&) {
        throw cell::InputError(file,
            "The result of the point " + row +
                " is damaged: \"" + (text.size() > 40 ? text.substr(0, 40) + "..." : text) +
                "\". Take that file out, or let its study be asked again; nothing was taken over.");
    }
}

void keep_passive(sqlite3* handle) {
    for (const int what : {SQLITE_DBCONFIG_ENABLE_TRIGGER, SQLITE_DBCONFIG_ENABLE_VIEW,
             SQLITE_DBCONFIG_ENABLE_LOAD_EXTENSION, SQLITE_DBCONFIG_TRUSTED_SCHEMA})
        sqlite3_db_config(handle, what, 0, nullptr);
    sqlite3_db_config(handle, SQLITE_DBCONFIG_DEFENSIVE, 1, nullptr);
    sqlite3_limit(handle, SQLITE_LIMIT_LENGTH, 1 << 24);
    sqlite3_limit(handle, SQLITE_LIMIT_SQL_LENGTH, 1 << 16);
    sqlite3_limit(handle, SQLITE_LIMIT_TRIGGER_DEPTH, 0);
}

struct Results::Database {
    std::string file;
    sqlite3* handle = nullptr;
    sqlite3_stmt *look = nullptr, *put = nullptr;
    mutable std::mutex lock;
    bool open_transaction = false;
    std::chrono::steady_clock::time_point last = std::chrono::steady_clock::now();

    [[noreturn]] void fail() const {
        const int code = sqlite3_errcode(handle) & 0xff;
        const std::string where = file.empty() ? "results" : file;
        if (code == SQLITE_FULL || code == SQLITE_IOERR)
            throw cell::InputError(where,
                "The disk is full or cannot be written; what was computed before is kept, and the study goes on from "
                "there when it is asked again.");
        if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
            throw cell::InputError(where, "Another program is writing into it; wait until it is done.");
        if (code == SQLITE_NOTADB || code == SQLITE_CORRUPT)
            throw cell::InputError(where, "This is not a file of results, or it is damaged; give another one.");
        if (code == SQLITE_CANTOPEN || code == SQLITE_READONLY || code == SQLITE_PERM)
            throw cell::InputError(where, "It cannot be opened for writing.");
        throw cell::InputError(where, std::string("The results cannot be kept: ") + sqlite3_errmsg(handle) + ".");
    }
    void run(const char* words) const {
        if (sqlite3_exec(handle, words, nullptr, nullptr, nullptr) != SQLITE_OK) fail();
    }
    int number(const char* words) const {
        int out = 0;
        const auto take = [](void* to, int count, char** values, char**) {
            if (count > 0 && values[0]) *static_cast<int*>(to) = std::atoi(values[0]);
            return 0;
        };
        if (sqlite3_exec(handle, words, take, &out, nullptr) != SQLITE_OK) fail();
        return out;
    }
    void open() {
        const int how = SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE | SQLITE_OPEN_FULLMUTEX;
        if (sqlite3_open_v2(file.empty() ? ":memory:" : file.c_str(), &handle, how, nullptr) != SQLITE_OK) fail();
        sqlite3_busy_timeout(handle, 5000);
        keep_passive(handle);
        const int tables = number("SELECT count(*) FROM sqlite_master"), kind = number("PRAGMA application_id");
        if (tables > 0 && kind != application)
            throw cell::InputError(file, "This database holds something else than results of studies.");
        // One table of ours and nothing that acts by itself.
        if (tables > 0 && (tables != 1 || number("SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = "
                                                 "'found' AND rootpage > 0") != 1))
            throw cell::InputError(file,
                "This file of results holds more than the table of results (triggers, views or other tables); it is "
                "not used. Give another file.");
        if (tables == 0) {
            run("BEGIN IMMEDIATE");
            run(("PRAGMA application_id = " + std::to_string(application)).c_str());
            run(("PRAGMA user_version = " + std::to_string(figures_version)).c_str());
            run("CREATE TABLE IF NOT EXISTS found (cell TEXT, point TEXT, repetition INTEGER, outcome TEXT, "
                "PRIMARY KEY (cell, point, repetition)) WITHOUT ROWID");
            run("COMMIT");
        } else if (const int version = number("PRAGMA user_version"); version != figures_version) {
            throw cell::InputError(file,
                "These results were computed by a version of the program whose figures are "
                "others (" +
                    std::to_string(version) + ", not " + std::to_string(figures_version) + "); give another file.");
        }
        prepare(look, "SELECT outcome FROM found WHERE cell = ? AND point = ? AND repetition = ?");
        prepare(put, "INSERT OR REPLACE INTO found VALUES (?, ?, ?, ?)");
    }
    void prepare(sqlite3_stmt*& statement, const char* words) const {
        if (sqlite3_prepare_v2(handle, words, -1, &statement, nullptr) != SQLITE_OK) fail();
    }
    static void bind(sqlite3_stmt* statement, const ResultKey& key) {
        sqlite3_reset(statement);
        sqlite3_bind_text(statement, 1, key.cell.c_str(), -1, SQLITE_TRANSIENT);
        sqlite3_bind_text(statement, 2, key.point.c_str(), -1, SQLITE_TRANSIENT);
        sqlite3_bind_int64(statement, 3, static_cast<sqlite3_int64>(key.repetition));
    }
    /// Every result of the attached file is one.
    void check_rows(const std::string& attached) const {
        sqlite3_stmt* all = nullptr;
        prepare(all, "SELECT outcome, point FROM other.found");
        try {
            while (sqlite3_step(all) == SQLITE_ROW) outcome_in(attached, text_in(all, 0), text_in(all, 1));
        } catch (const cell::InputError&) {
            sqlite3_finalize(all);
            throw;
        }
        sqlite3_finalize(all);
    }
    static std::string text_in(sqlite3_stmt* row, int column) {
        const auto* bytes = reinterpret_cast<const char*>(sqlite3_column_text(row, column));
        return bytes ? bytes : "";
    }
    void commit() {
        if (!open_transaction) return;
        open_transaction = false;
        if (sqlite3_exec(handle, "COMMIT", nullptr, nullptr, nullptr) == SQLITE_OK) return;
        const int code = sqlite3_errcode(handle);
        try {
            fail();
        } catch (...) {
            if (code != SQLITE_BUSY) sqlite3_exec(handle, "ROLLBACK", nullptr, nullptr, nullptr);
            throw;
        }
    }
    ~Database() {
        sqlite3_finalize(look);
        sqlite3_finalize(put);
        sqlite3_close(handle);
    }
};

Results::Results(const std::string& file) : database_(std::make_unique<Database>()) {
    database_->file = file;
    database_->open();
}

Results::~Results() {
    try {
        write();
    } catch (const cell::InputError&) {
        // it was told while there was somebody to tell
    }
}

std::optional<Outcome> Results::find(const ResultKey& key) const {
    const std::lock_guard<std::mutex> hold(database_->lock);
    Database::bind(database_->look, key);
    const int code = sqlite3_step(database_->look);
    if (code == SQLITE_DONE) return std::nullopt;
    if (code != SQLITE_ROW) database_->fail();
    const std::string text = Database::text_in(database_->look, 0);
    sqlite3_reset(database_->look);
    try {
        return from_json(json::parse(text));
    } catch (const json::exception&) {
        return std::nullopt;  // damaged: it is computed again
    }
}

void Results::keep(const ResultKey& key, const Outcome& outcome) {
    const std::string text = to_json(outcome).dump();
    const std::lock_guard<std::mutex> hold(database_->lock);
    if (!database_->open_transaction) {
        database_->run("BEGIN IMMEDIATE");
        database_->open_transaction = true;
        database_->last = std::chrono::steady_clock::now();
    }
    Database::bind(database_->put, key);
    sqlite3_bind_text(database_->put, 4, text.c_str(), -1, SQLITE_TRANSIENT);
    if (sqlite3_step(database_->put) != SQLITE_DONE) database_->fail();
    sqlite3_reset(database_->put);
    if (std::chrono::steady_clock::now() - database_->last > written_within) database_->commit();
}

void Results::write() {
    const std::lock_guard<std::mutex> hold(database_->lock);
    database_->commit();
}

std::size_t Results::merge(const std::string& other) {
    if (!std::filesystem::is_regular_file(other)) throw cell::InputError(other, "There is no such file of results.");
    { const Results check(other); }  // that it is one, of this version
    const std::lock_guard<std::mutex> hold(database_->lock);
    Database& d = *database_;
    d.commit();
    sqlite3_stmt* attach = nullptr;
    d.prepare(attach, "ATTACH ? AS other");
    sqlite3_bind_text(attach, 1, other.c_str(), -1, SQLITE_TRANSIENT);
    const int code = sqlite3_step(attach);
    sqlite3_finalize(attach);
    if (code != SQLITE_DONE) d.fail();
    try {
        d.check_rows(other);
    } catch (const cell::InputError&) {
        d.run("DETACH other");
        throw;
    }
    // Of what both have, the figures that both looked at have to be the same; what any of them knows is kept.
    sqlite3_stmt* both = nullptr;
    d.prepare(both,
        "SELECT m.outcome, o.outcome, o.cell, o.point, o.repetition FROM other.found o JOIN main.found m USING (cell, "
        "point, repetition) WHERE m.outcome <> o.outcome");
    std::vector<std::pair<ResultKey, std::string>> better;
    std::string differs;
    while (sqlite3_step(both) == SQLITE_ROW && differs.empty()) {
        const auto text = [&](int column) { return Database::text_in(both, column); };
        Outcome mine, theirs;
        try {
            mine = outcome_in(d.file, text(0), text(3)), theirs = outcome_in(other, text(1), text(3));
        } catch (const cell::InputError&) {
            sqlite3_finalize(both);
            d.run("DETACH other");
            throw;
        }
        for (const auto& [id, v] : mine.run.figures)
            if (const auto found = theirs.run.figures.find(id); found != theirs.run.figures.end() && found->second != v)
                differs = text(3);
        Outcome together = mine;
        together.take_in(theirs);
        if (const std::string all = to_json(together).dump(); all != text(0))
            better.push_back({{text(2), text(3), static_cast<std::size_t>(sqlite3_column_int64(both, 4))}, all});
    }
    sqlite3_finalize(both);
    std::size_t made = 0;
    if (differs.empty()) {
        d.run("BEGIN IMMEDIATE");
        d.open_transaction = true;
        d.run("INSERT OR IGNORE INTO main.found SELECT * FROM other.found");
        made = static_cast<std::size_t>(sqlite3_changes(d.handle));
        for (const auto& [key, text] : better) {
            Database::bind(d.put, key);
            sqlite3_bind_text(d.put, 4, text.c_str(), -1, SQLITE_TRANSIENT);
            if (sqlite3_step(d.put) != SQLITE_DONE) d.fail();
            sqlite3_reset(d.put);
        }
        d.commit();
    }
    d.run("DETACH other");
    if (!differs.empty())
        throw cell::InputError(other, "Its figures at " + differs +
                                          " are not those that are here, though the cell is the same: they come from "
                                          "another version or machine. Nothing was taken over.");
    return made;
}

std::size_t Results::count(const std::string& cell) const {
    const std::lock_guard<std::mutex> hold(database_->lock);
    sqlite3_stmt* all = nullptr;
    database_->prepare(all, cell.empty() ? "SELECT count(*) FROM found" : "SELECT count(*) FROM found WHERE cell = ?");
    if (!cell.empty()) sqlite3_bind_text(all, 1, cell.c_str(), -1, SQLITE_TRANSIENT);
    const std::size_t out =
        sqlite3_step(all) == SQLITE_ROW ? static_cast<std::size_t>(sqlite3_column_int64(all, 0)) : 0;
    sqlite3_finalize(all);
    return out;
}

std::string Results::beside(const std::string& cell_file) {
    return std::filesystem::path(cell_file).replace_extension(".results").string();
}

}  // namespace escarp::study
