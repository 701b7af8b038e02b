// The cell over Modbus TCP, as server or as client.

#include <algorithm>

#include <cell/text/problem.h>

#include "connection.h"
#include "when_lost.h"

namespace escarp::link {
namespace {

namespace lock = wire::lock_step;

AddressTable checked_table(const cell::Link& link, const cell::Cell& cell) {
    AddressTable table = address_table(cell, link.high_word_first);
    if (table.problems.empty()) return table;
    std::vector<cell::Problem> all;
    for (const std::string& p : table.problems) all.push_back({"links/" + link.id, p});
    throw cell::InputError(std::move(all));
}

wire::Endpoint endpoint(const cell::Link& link) { return {link.host, link.port, link.unit, link.time_out}; }

std::vector<int> set_by_controller(const AddressTable& table) {
    std::vector<int> all;
    for (const Address& a : table.rows)
        if (a.controller_sets) all.push_back(a.signal);
    return all;
}

/// The cell as the controller's remote I/O.
class AsServer final : public Connection, private wire::Served {
public:
    AsServer(const cell::Link& link, LiveRun& run)
        : link_(link),
          table_(checked_table(link, run.cell())),
          run_(run),
          when_lost_(link_, set_by_controller(table_), run),
          server_(endpoint(link), tables(), *this),
          watching_([this] { watch(); }) {}
    ~AsServer() override {
        stop_ = true;
        watching_.join();
    }
    LinkStatus status() const override {
        const wire::Counts c = server_.counts();
        LinkStatus s;
        s.connected = c.clients > 0;
        s.words = c.clients == 0 ? "nobody is connected"
                                 : std::to_string(c.clients) + (c.clients == 1 ? " client" : " clients");
        s.exchanges = c.requests, s.refused = c.refused + refused_;
        s.lost = lost_;
        return s;
    }

private:
    wire::Tables tables() const {
        const Half reads = empty_half(table_, false), sets = empty_half(table_, true);
        return {sets.bits, reads.bits, sets.registers, reads.registers};
    }
    void before_request(wire::Tables& t) override {
        Half reads{std::move(t.discrete_inputs), std::move(t.input_registers)};
        write_half(table_, false, run_.values(), reads);
        t.discrete_inputs = std::move(reads.bits), t.input_registers = std::move(reads.registers);
    }
    /// Only what was written: the rest of the table may be older than what the run has.
    void heard(const wire::Tables& t, bool bits, int from, int count) {
        long refused = 0;
        SignalValues all = read_half(table_, true, {t.coils, t.holding_registers}, &refused);
        std::erase_if(all, [&](const auto& one) {
            const auto row = std::find_if(
                table_.rows.begin(), table_.rows.end(), [&](const Address& a) { return a.signal == one.first; });
            return row->on_off != bits || row->number + row->words <= from || row->number >= from + count;
        });
        refused_ += refused;
        run_.hear(std::move(all));
    }
    void coils_written(const wire::Tables& t, int from, int count) override { heard(t, true, from, count); }
    void registers_written(const wire::Tables& t, int from, int count) override { heard(t, false, from, count); }
    lock::State step(
        std::int64_t& us, int number, const std::vector<std::uint16_t>& in, std::vector<std::uint16_t>& out) override {
        std::vector<double> then;
        long refused = 0;
        const lock::State state = run_.step(us * 1000, number, read_image(table_, true, in, &refused), then);
        refused_ += refused;
        if (state == lock::not_yet || then.empty()) return state;
        const auto image = write_image(table_, false, then);
        std::copy(image.begin(), image.end(), out.begin());
        return state;
    }
    void watch() {
        int before = 0;
        while (!stop_) {
            const int now = server_.counts().clients;
            if (now == 0 && before > 0) ++lost_, when_lost_.lost();
            if (now > 0) when_lost_.there();
            before = now;
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
    }

    const cell::Link link_;
    const AddressTable table_;
    LiveRun& run_;
    WhenLost when_lost_;
    std::atomic<long> refused_ = 0, lost_ = 0;
    std::atomic<bool> stop_ = false;
    wire::Server server_;
    std::thread watching_;
};

/// The cell reads and writes a controller's registers.
class AsClient final : public Connection {
public:
    AsClient(const cell::Link& link, LiveRun& run, bool lock_step)
        : link_(link),
          table_(checked_table(link, run.cell())),
          run_(run),
          when_lost_(link_, set_by_controller(table_), run),
          lock_step_(lock_step),
          working_([this] { work(); }) {}
    ~AsClient() override {
        {
            const std::lock_guard<std::mutex> hold(mutex_);
            stop_ = true;
        }
        wake_.notify_all();
        working_.join();
    }
    LinkStatus status() const override {
        const std::lock_guard<std::mutex> hold(mutex_);
        return status_;
    }

private:
    void rest(double seconds) {
        std::unique_lock<std::mutex> hold(mutex_);
        wake_.wait_for(hold, std::chrono::duration<double>(seconds), [this] { return stop_.load(); });
    }
    void work() {
        constexpr double first_pause = 0.2, longest_pause = 5;  // s
        double pause = first_pause;
        wire::Client client(endpoint(link_));
        while (!stop_ && !run_.status().over) {
            try {
                const bool was = client.connected();
                lock_step_ ? step(client) : exchange(client);
                pause = first_pause;
                if (!was) when_lost_.there();
                const std::lock_guard<std::mutex> hold(mutex_);
                ++status_.exchanges;
                status_.connected = true, status_.words = "connected";
            } catch (const wire::WireError& problem) {
                {
                    const std::lock_guard<std::mutex> hold(mutex_);
                    if (status_.connected) ++status_.lost;
                    status_.connected = false, status_.words = std::string("tries again: ") + problem.what();
                }
                when_lost_.lost();
                rest(pause);
                pause = std::min(longest_pause, 2 * pause);
                continue;
            }
            if (!lock_step_) rest(link_.every);
        }
    }
    void heard(SignalValues values, long refused) {
        run_.hear(std::move(values));
        const std::lock_guard<std::mutex> hold(mutex_);
        status_.refused += refused;
    }
    void exchange(wire::Client& client) {
        Half reads = empty_half(table_, false);
        write_half(table_, false, run_.values(), reads);
        if (!reads.bits.empty()) client.write_coils(0, reads.bits);
        if (!reads.registers.empty()) client.write_registers(0, reads.registers);
        Half sets = empty_half(table_, true);
        if (!sets.bits.empty()) sets.bits = client.read_discrete_inputs(0, static_cast<int>(sets.bits.size()));
        if (!sets.registers.empty())
            sets.registers = client.read_input_registers(0, static_cast<int>(sets.registers.size()));
        if (sets.bits.empty() && sets.registers.empty() && reads.bits.empty() && reads.registers.empty())
            client.connect();
        long refused = 0;
        SignalValues all = read_half(table_, true, sets, &refused);
        heard(std::move(all), refused);
    }
    void step(wire::Client& client) {
        std::vector<std::uint16_t> image = write_image(table_, false, run_.values());
        std::int64_t us = gone_us_;
        const lock::State state =
            client.step(us, number_ = (number_ + 1) % 65'536, image, image_words(table_, true), stop_);
        if (state == lock::over) return run_.stop("the controller has ended");
        if (state == lock::not_yet) return;
        long refused = 0;
        const SignalValues in = read_image(table_, true, image, &refused);
        std::vector<double> out;
        while (!stop_ && run_.step(us * 1000, number_, in, out) == lock::not_yet) {
        }
        gone_us_ = us;
        const std::lock_guard<std::mutex> hold(mutex_);
        status_.refused += refused;
    }

    const cell::Link link_;
    const AddressTable table_;
    LiveRun& run_;
    WhenLost when_lost_;
    const bool lock_step_;
    int number_ = 0;
    std::int64_t gone_us_ = 0;
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::atomic<bool> stop_ = false;
    LinkStatus status_{false, "not connected yet"};
    std::thread working_;
};

}  // namespace

std::unique_ptr<Connection> modbus_server(const cell::Link& link, LiveRun& run, bool) {
    return std::make_unique<AsServer>(link, run);
}
std::unique_ptr<Connection> modbus_client(const cell::Link& link, LiveRun& run, bool lock_step) {
    return std::make_unique<AsClient>(link, run, lock_step);
}

}  // namespace escarp::link
