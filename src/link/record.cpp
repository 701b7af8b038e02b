#include "record.h"

#include <cmath>
#include <condition_variable>
#include <filesystem>
#include <map>
#include <mutex>
#include <thread>

#include <cell/text/json.h>
#include <exchange/csv.h>
#include <simulation/kinds.h>

#include "database.h"

namespace escarp::link {
namespace {

using cell::json;
constexpr int application = 0x45736332;  // "Esc2": tells a record from other databases
constexpr int version = 1;

int number_in(const Database& d, const char* words) {
    Statement s(d, words);
    return s.row() ? static_cast<int>(s.whole(0)) : 0;
}
bool is_record(const Database& d) { return number_in(d, "PRAGMA application_id") == application; }

/// Nothing but a record is replaced.
void make_room(const std::string& file) {
    namespace fs = std::filesystem;
    if (!fs::exists(file)) return;
    if (!fs::is_regular_file(file)) throw cell::InputError(file, "It is no file; the name of a record is expected.");
    bool ours = fs::file_size(file) == 0;
    if (!ours) try {
            ours = is_record(Database(file, false));
        } catch (const cell::InputError&) {
        }
    if (!ours)
        throw cell::InputError(file, "It holds something else than a record of a live run; another name is expected.");
    fs::remove(file);
}

}  // namespace

class RecordWriter::Work {
public:
    Work(const std::string& file, const RecordAbout& about, const cell::Cell& cell)
        : database_(file, true), put_change_(nullptr) {
        database_.run("BEGIN IMMEDIATE");
        database_.run(("PRAGMA application_id = " + std::to_string(application)).c_str());
        database_.run(("PRAGMA user_version = " + std::to_string(version)).c_str());
        database_.run("CREATE TABLE about (key TEXT PRIMARY KEY, value TEXT) WITHOUT ROWID");
        database_.run("CREATE TABLE signals (signal INTEGER PRIMARY KEY, name TEXT)");
        database_.run("CREATE TABLE heard (set_number INTEGER, t_ns INTEGER, signal INTEGER, value REAL)");
        database_.run(
            "CREATE TABLE followed (set_number INTEGER, t_ns INTEGER, device INTEGER, joint INTEGER, value REAL)");
        database_.run("CREATE TABLE changes (t_ns INTEGER, signal INTEGER, value REAL)");
        say("cell", about.cell_name), say("variant", about.variant), say("content", about.content);
        say("tree", about.tree.dump()), say("began", about.began), say("rate", std::to_string(about.rate));
        say("clock", about.lock_step ? "lock-step" : "wall");
        Statement name(database_, "INSERT INTO signals VALUES (?, ?)");
        for (std::size_t i = 0; i < cell.signals.size(); ++i)
            name.put(static_cast<int>(i), cell.full_name(cell.signals[i]));
        database_.run("COMMIT");
        put_change_ = std::make_unique<Statement>(database_, "INSERT INTO changes VALUES (?, ?, ?)");
        put_heard_ = std::make_unique<Statement>(database_, "INSERT INTO heard VALUES (?, ?, ?, ?)");
        put_followed_ = std::make_unique<Statement>(database_, "INSERT INTO followed VALUES (?, ?, ?, ?, ?)");
        thread_ = std::thread([this] { work(); });
    }
    ~Work() { end(); }

    void changed(const simulation::Kernel& k) {
        if (!k.instant_over()) return;
        const std::size_t count = k.cell().signals.size();
        const bool first = last_.empty();
        last_.resize(count);
        fresh_.clear();
        for (std::size_t i = 0; i < count; ++i) {
            const double v = k.value(static_cast<int>(i));
            if (!first && v == last_[i]) continue;
            last_[i] = v;
            fresh_.push_back({k.now(), static_cast<int>(i), v});
        }
        if (fresh_.empty()) return;
        const std::lock_guard<std::mutex> hold(mutex_);
        waiting_.insert(waiting_.end(), fresh_.begin(), fresh_.end());
    }
    void heard(const Heard& h) {
        const std::lock_guard<std::mutex> hold(mutex_);
        heard_.push_back(h);
    }
    void end() {
        {
            const std::lock_guard<std::mutex> hold(mutex_);
            if (ended_) return;
            ended_ = true;
        }
        wake_.notify_all();
        thread_.join();
    }
    void finish(const LiveRun& run) {
        end();
        if (!problem_.empty()) throw cell::InputError(database_.file(), problem_);
        database_.run("BEGIN IMMEDIATE");
        say("end", std::to_string(run.status().now));
        database_.run("COMMIT");
    }

private:
    void say(const std::string& key, const std::string& value) {
        Statement(database_, "INSERT OR REPLACE INTO about VALUES (?, ?)").put(key, value);
    }
    void write(const std::vector<SignalChange>& all, const std::vector<Heard>& heard) {
        if ((all.empty() && heard.empty()) || !problem_.empty()) return;
        try {
            database_.run("BEGIN IMMEDIATE");
            for (const SignalChange& c : all) put_change_->put(c.when, c.signal, c.value);
            for (const Heard& h : heard) {
                for (const auto& [signal, value] : h.values) put_heard_->put(sets_, h.when, signal, value);
                for (int j = 0; h.device >= 0 && j < h.q.size(); ++j)
                    put_followed_->put(sets_, h.when, h.device, j, h.q[j]);
                ++sets_;
            }
            database_.run("COMMIT");
        } catch (const cell::InputError& e) {
            problem_ = e.problems().front().message;
        }
    }
    void work() {
        std::unique_lock<std::mutex> hold(mutex_);
        for (;;) {
            wake_.wait_for(hold, std::chrono::milliseconds(500), [this] { return ended_; });
            const bool last = ended_;
            std::vector<SignalChange> now;
            std::vector<Heard> heard;
            now.swap(waiting_), heard.swap(heard_);
            hold.unlock();
            write(now, heard);
            hold.lock();
            if (last) return;
        }
    }

    Database database_;
    std::unique_ptr<Statement> put_change_, put_heard_, put_followed_;
    int sets_ = 0;                     ///< heard that are written
    std::vector<double> last_;         ///< of every signal; on the run's thread
    std::vector<SignalChange> fresh_;  ///< the same
    std::mutex mutex_;
    std::condition_variable wake_;
    std::vector<SignalChange> waiting_;
    std::vector<Heard> heard_;
    bool ended_ = false;
    std::string problem_;
    std::thread thread_;
};

RecordWriter::RecordWriter(const std::string& file, const RecordAbout& about, const cell::Cell& cell) {
    make_room(file);
    work_ = std::make_unique<Work>(file, about, cell);
}
RecordWriter::~RecordWriter() = default;
void RecordWriter::attach(LiveOptions& options) {
    options.observers.push_back(this);
    options.heard = [work = work_.get()](const Heard& h) { work->heard(h); };
}
void RecordWriter::happened(const simulation::Kernel& kernel) { work_->changed(kernel); }
void RecordWriter::finish(const LiveRun& run) { work_->finish(run); }

namespace {

cell::InputError damaged(const Database& d, const char* what) {
    return cell::InputError(d.file(), std::string("The record is damaged: ") + what + ".");
}

/// Signals and followers, in the order in which they were heard.
template <typename Known>
void read_heard(const Database& d, Record& r, const Known& known) {
    std::map<std::int64_t, Heard> sets;
    for (Statement s(d, "SELECT set_number, t_ns, signal, value FROM heard ORDER BY rowid"); s.row();) {
        if (!known(s.whole(2))) throw damaged(d, "what was heard is out of order or of no signal");
        Heard& h = sets.try_emplace(s.whole(0), Heard{s.whole(1), {}}).first->second;
        h.values.emplace_back(static_cast<int>(s.whole(2)), s.number(3));
    }
    for (Statement s(d, "SELECT set_number, t_ns, device, joint, value FROM followed ORDER BY rowid"); s.row();) {
        Heard& h = sets.try_emplace(s.whole(0), Heard{s.whole(1), {}}).first->second;
        const std::int64_t joint = s.whole(3);
        if (s.whole(2) < 0 || joint != h.q.size() || joint >= h.q.MaxSizeAtCompileTime || !std::isfinite(s.number(4)))
            throw damaged(d, "joint values are out of order or of no arm");
        h.device = static_cast<int>(s.whole(2));
        h.q.conservativeResize(joint + 1);
        h.q[joint] = s.number(4);
    }
    for (auto& [number, h] : sets) {
        if (!r.heard.empty() && h.when < r.heard.back().when)
            throw damaged(d, "what was heard is out of order or of no signal");
        r.heard.push_back(std::move(h));
    }
}

}  // namespace

Record read_record(const std::string& file) {
    if (!std::filesystem::is_regular_file(file)) throw cell::InputError(file, "There is no such record.");
    const Database d(file, false);
    if (!is_record(d)) throw cell::InputError(file, "This is no record of a live run.");
    if (const int found = number_in(d, "PRAGMA user_version"); found != version)
        throw cell::InputError(file, "This record was written by another version of the program (" +
                                         std::to_string(found) + ", not " + std::to_string(version) + ").");
    Record r;
    bool has_tree = false;
    for (Statement s(d, "SELECT key, value FROM about"); s.row();) {
        const std::string key = s.text(0), value = s.text(1);
        if (key == "cell") r.about.cell_name = value;
        else if (key == "variant") r.about.variant = value;
        else if (key == "content") r.about.content = value;
        else if (key == "tree") r.about.tree = cell::parse_json(value), has_tree = true;
        else if (key == "began") r.about.began = value;
        else if (key == "rate") r.about.rate = std::atof(value.c_str());
        else if (key == "clock") r.about.lock_step = value == "lock-step";
        else if (key == "end") r.about.end = std::atoll(value.c_str()), r.about.finished = true;
    }
    if (!has_tree) throw damaged(d, "the cell is missing");
    for (Statement s(d, "SELECT name FROM signals ORDER BY signal"); s.row();) r.signals.push_back(s.text(0));
    const auto known = [&](std::int64_t signal) {
        return signal >= 0 && signal < static_cast<std::int64_t>(r.signals.size());
    };
    read_heard(d, r, known);
    for (Statement s(d, "SELECT t_ns, signal, value FROM changes ORDER BY rowid"); s.row();) {
        if (!known(s.whole(1)) || (!r.changes.empty() && s.whole(0) < r.changes.back().when))
            throw damaged(d, "changes are out of order or of no signal");
        r.changes.push_back({s.whole(0), static_cast<int>(s.whole(1)), s.number(2)});
    }
    const Ticks last =
        std::max(r.changes.empty() ? 0 : r.changes.back().when, r.heard.empty() ? 0 : r.heard.back().when);
    if (!r.about.finished) r.about.end = last;
    constexpr Ticks most = 1'000'000 * simulation::second;
    if (r.about.end < last || r.about.end > most || (!r.changes.empty() && r.changes.front().when < 0) ||
        (!r.heard.empty() && r.heard.front().when < 0))
        throw damaged(d, "its times are none");
    return r;
}

std::string record_beside(const std::string& cell_file) {
    return std::filesystem::path(cell_file).replace_extension(".record").string();
}

std::shared_ptr<const cell::Cell> cell_of(const Record& record) {
    return cell::read_cell(record.about.tree, simulation::standard_kinds());
}

std::shared_ptr<const simulation::Run> run_again(const Record& record, const cell::Cell& cell) {
    simulation::PlanCache plans;
    simulation::RunOptions how;
    how.outside = outside_signals(cell);
    how.limits = LiveOptions().limits;
    simulation::RunSession session(cell, plans, how);
    session.start();
    for (const Heard& h : record.heard) {
        session.advance(h.when);
        if (h.device < 0) session.hear(h.values);
        else if (h.device < static_cast<int>(cell.devices.size()) &&
                 simulation::RunSession::can_follow(cell.devices[static_cast<std::size_t>(h.device)]) &&
                 h.q.size() ==
                     static_cast<int>(
                         cell.devices[static_cast<std::size_t>(h.device)].arm->model->mechanism.joints.size()))
            session.follow(h.device, h.q);
    }
    session.advance(record.about.end);
    return session.finish(session.now(), session.now());
}

std::optional<std::string> first_difference(const Record& record, const simulation::Run& again) {
    std::vector<std::vector<std::pair<Ticks, double>>> recorded(record.signals.size());
    for (const SignalChange& c : record.changes)
        recorded[static_cast<std::size_t>(c.signal)].emplace_back(c.when, c.value);
    std::optional<std::pair<Ticks, std::string>> first;
    for (std::size_t i = 0; i < recorded.size(); ++i) {
        const auto& now = again.trace.signals.at(i).changes;
        const auto& then = recorded[i];
        for (std::size_t n = 0; n < std::max(now.size(), then.size()); ++n) {
            if (n < now.size() && n < then.size() && now[n] == then[n]) continue;
            const Ticks when = std::min(
                n < now.size() ? now[n].first : simulation::never, n < then.size() ? then[n].first : simulation::never);
            if (!record.about.finished && when >= record.about.end) break;  // not all of that instant was written
            if (!first || when < first->first)
                first = {when, record.signals[i] + " at " + std::to_string(simulation::seconds(when)) + " s"};
            break;
        }
    }
    return first ? std::optional(first->second) : std::nullopt;
}

study::Measured heard_of(const Record& record, int device) {
    study::Measured out;
    for (const Heard& h : record.heard) {
        if (h.device != device) continue;
        const double t = simulation::seconds(h.when);
        if (!out.t.empty() && t <= out.t.back()) continue;  // two at one instant
        out.t.push_back(t), out.q.push_back(h.q);
    }
    return out;
}

std::string record_csv(const Record& record) {
    std::vector<std::string> row{"t_s"};
    row.insert(row.end(), record.signals.begin(), record.signals.end());
    std::string out = exchange::csv_line(row);
    std::vector<double> values(record.signals.size());
    const auto text = [](double v) {
        char buffer[40];
        std::snprintf(buffer, sizeof buffer, "%.9g", v);
        return std::string(buffer);
    };
    for (std::size_t i = 0; i < record.changes.size();) {
        const Ticks when = record.changes[i].when;
        for (; i < record.changes.size() && record.changes[i].when == when; ++i)
            values[static_cast<std::size_t>(record.changes[i].signal)] = record.changes[i].value;
        char instant[40];
        std::snprintf(instant, sizeof instant, "%lld.%09lld", static_cast<long long>(when / simulation::second),
            static_cast<long long>(when % simulation::second));
        row[0] = instant;
        for (std::size_t s = 0; s < values.size(); ++s) row[s + 1] = text(values[s]);
        out += exchange::csv_line(row);
    }
    return out;
}

}  // namespace escarp::link
