// escarp-controller: a small controller that stands in for a real one, to try a cell without hardware. It goes through
// a program in structured text, scan by scan, as Modbus TCP client or server. It is no product for factories. Exit 0:
// ended as asked; 1: the program cannot go on; 2: bad input.

#include <poll.h>
#include <unistd.h>
#include <CLI/CLI.hpp>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <fstream>
#include <iostream>
#include <mutex>
#include <sstream>

#include <controller/machine.h>
#include <wire/modbus.h>

namespace {

using namespace escarp;
using controller::Address;
using controller::Machine;
using controller::Value;
namespace lock = wire::lock_step;

std::atomic<bool> stopped{false};

struct Options {
    std::string program, host = "127.0.0.1";
    int port = 1502, unit = 1;
    double scan_ms = 10;
    long scans = 0;
    bool server = false, lock_step = false, watch = false, check = false;
    std::vector<std::string> forced;
};

/// "NAME=VALUE". Throws std::runtime_error.
void force(Machine& m, const std::string& words) {
    const std::size_t sign = words.find('=');
    const auto bare = [](std::string text) {
        const auto edge = [](char c) { return c == ' ' || c == ':' || c == '\t'; };
        while (!text.empty() && edge(text.front())) text.erase(0, 1);
        while (!text.empty() && edge(text.back())) text.pop_back();
        return text;
    };
    const std::string name = bare(words.substr(0, sign));
    const int which = m.variable(name);
    if (which < 0) {
        std::string known;
        for (const Machine::Watched& w : m.variables()) known += (known.empty() ? "" : ", ") + w.name;
        throw std::runtime_error(
            "There is no variable \"" + name + "\"; the program has " + (known.empty() ? "none" : known) + ".");
    }
    const auto i = static_cast<std::size_t>(which);
    if (sign == std::string::npos) return m.force(i, std::nullopt);
    const auto value = controller::value_of(bare(words.substr(sign + 1)), m.variables()[i].type);
    if (!value)
        throw std::runtime_error(
            "\"" + bare(words.substr(sign + 1)) + "\" is no " + controller::word(m.variables()[i].type) + ".");
    m.force(i, value);
}

/// Shows a table of variables on the terminal, and takes orders from it.
class Watch {
public:
    explicit Watch(bool shown) : shown_(shown) {}
    void look(Machine& m, long scans, const std::string& link) {
        if (!shown_) return;
        const auto now = std::chrono::steady_clock::now();
        if (now - last_ < std::chrono::milliseconds(200)) return;
        last_ = now;
        take_orders(m);
        const bool terminal = ::isatty(1) != 0;
        if (terminal) std::printf("\033[H\033[2J");
        std::printf("scan %ld   %s\n", scans, link.c_str());
        for (std::size_t i = 0; i < m.variables().size(); ++i) {
            const Machine::Watched& w = m.variables()[i];
            std::printf("  %-28s %-5s %-9s %s%s\n", w.name.c_str(), controller::word(w.type), w.address.c_str(),
                m.value_text(i).c_str(), w.forced ? "   forced" : "");
        }
        if (terminal) std::printf("\nNAME=VALUE forces, NAME lets go again, Ctrl+C ends. %s\n", said_.c_str());
        std::fflush(stdout);
    }

private:
    void take_orders(Machine& m) {
        pollfd in{0, POLLIN, 0};
        while (!ended_ && ::poll(&in, 1, 0) > 0) {
            std::string line;
            if (!std::getline(std::cin, line)) {
                ended_ = true;
                return;
            }
            if (line.empty()) continue;
            try {
                force(m, line);
                said_.clear();
            } catch (const std::runtime_error& problem) {
                said_ = problem.what();
            }
        }
    }
    const bool shown_;
    bool ended_ = false;
    std::string said_;
    std::chrono::steady_clock::time_point last_{};
};

/// How many bits and registers an area's variables take.
std::pair<int, int> size_of(const Machine& m, Address::Area area) {
    int bits = 0, words = 0;
    for (const Address& a : m.located(area))
        if (a.bits == 1) bits = std::max(bits, 8 * a.byte + a.bit + 1);
        else words = std::max(words, a.byte / 2 + a.bits / 16);
    return {bits, words};
}

std::vector<std::uint16_t> words_of(const controller::Image& image, int bytes) {
    std::vector<std::uint16_t> all;
    for (int b = 0; b < bytes; b += 2) all.push_back(image.word(b));
    return all;
}
void take_words(controller::Image& image, const std::vector<std::uint16_t>& words, int bytes) {
    for (int b = 0; b < bytes && static_cast<std::size_t>(b / 2) < words.size(); b += 2)
        image.set_word(b, words[static_cast<std::size_t>(b / 2)]);
}

/// Bits and registers into the image, and out of it.
void take_in(Machine& m, const std::vector<std::uint8_t>& bits, const std::vector<std::uint16_t>& registers) {
    for (const Address& a : m.located(Address::Area::input)) {
        if (a.bits == 1) {
            m.inputs().set_bit(a.byte, a.bit, bits.at(static_cast<std::size_t>(8 * a.byte + a.bit)) != 0);
            continue;
        }
        const auto at = static_cast<std::size_t>(a.byte / 2);
        if (a.bits == 16) m.inputs().set_word(a.byte, registers.at(at));
        else m.inputs().set_double_word(a.byte, std::uint32_t{registers.at(at)} << 16 | registers.at(at + 1));
    }
}
void put_out(const Machine& m, std::vector<std::uint8_t>& bits, std::vector<std::uint16_t>& registers) {
    for (const Address& a : m.located(Address::Area::output)) {
        if (a.bits == 1) {
            bits.at(static_cast<std::size_t>(8 * a.byte + a.bit)) = m.outputs().bit(a.byte, a.bit);
            continue;
        }
        const auto at = static_cast<std::size_t>(a.byte / 2);
        if (a.bits == 16) registers.at(at) = m.outputs().word(a.byte);
        else {
            const std::uint32_t both = m.outputs().double_word(a.byte);
            registers.at(at) = static_cast<std::uint16_t>(both >> 16),
            registers.at(at + 1) = static_cast<std::uint16_t>(both & 0xffff);
        }
    }
}

class Controller {
public:
    explicit Controller(const Options& o) : o_(o), machine_(program(o.program)), watch_(o.watch) {
        for (const std::string& words : o.forced) force(machine_, words);
        for (const Address::Area area : {Address::Area::input, Address::Area::output})
            for (const Address& a : machine_.located(area))
                if (a.bits > 1 && a.byte % 2 != 0)
                    throw std::runtime_error(a.text() + " begins within a register; an even number is expected.");
    }
    void run() {
        if (o_.check) return;
        o_.server ? as_server() : as_client();
        if (o_.watch) watch_.look(machine_, scans_, "ended");
        std::cerr << scans_ << " scans" << (lost_ ? ", " + std::to_string(lost_) + " connections lost" : "") << "\n";
    }

private:
    static std::shared_ptr<const controller::BlockType> program(const std::string& file) {
        std::ifstream in(file);
        if (!in) throw std::runtime_error("It cannot be read.");
        std::ostringstream text;
        text << in.rdbuf();
        return controller::compile(text.str());
    }
    bool goes_on() const { return !stopped && (o_.scans == 0 || scans_ < o_.scans); }
    std::int64_t scan_us() const { return static_cast<std::int64_t>(o_.scan_ms * 1000 + 0.5); }
    void scan(std::int64_t now) {
        machine_.scan(now);
        ++scans_;
    }
    wire::Endpoint endpoint() const { return {o_.host, o_.port, o_.unit, 1.0}; }

    void as_client() {
        wire::Client client(endpoint());
        double pause = 0.2;
        bool in_step = false;
        std::int64_t now = 0;
        while (goes_on()) {
            try {
                if (o_.lock_step) {
                    if (!step(client, in_step, now)) return;
                } else {
                    exchange(client, now);
                }
                pause = 0.2;
                watch_.look(machine_, scans_, "connected to " + endpoint().text());
            } catch (const wire::WireError& problem) {
                if (was_there_) ++lost_, was_there_ = false;
                in_step = false;
                watch_.look(machine_, scans_, problem.what());
                for (double waited = 0; waited < pause && !stopped; waited += 0.05) ::usleep(50'000);
                pause = std::min(5.0, 2 * pause);
            }
        }
    }
    /// False: the cell has ended.
    bool step(wire::Client& client, bool& in_step, std::int64_t& now) {
        const int in_bytes = machine_.input_bytes(), out_bytes = machine_.output_bytes();
        const auto back = static_cast<std::size_t>((in_bytes + 1) / 2);
        std::vector<std::uint16_t> image = words_of(machine_.outputs(), out_bytes);
        std::int64_t us = in_step ? scan_us() : 0;  // first it only looks
        const lock::State state = client.step(us, number_ = (number_ + 1) % 65'536, image, back, stopped);
        was_there_ = true;
        if (state == lock::over) return false;
        if (state == lock::not_yet) return true;
        now += us;
        in_step = true;
        take_words(machine_.inputs(), image, in_bytes);
        scan(now);
        return true;
    }
    void exchange(wire::Client& client, std::int64_t& now) {
        const auto began = std::chrono::steady_clock::now();
        const auto [in_bits, in_words] = size_of(machine_, Address::Area::input);
        const auto [out_bits, out_words] = size_of(machine_, Address::Area::output);
        std::vector<std::uint8_t> bits;
        std::vector<std::uint16_t> registers;
        client.connect();
        was_there_ = true;
        if (in_bits) bits = client.read_discrete_inputs(0, in_bits);
        if (in_words) registers = client.read_input_registers(0, in_words);
        take_in(machine_, bits, registers);
        scan(now);
        bits.assign(static_cast<std::size_t>(out_bits), 0), registers.assign(static_cast<std::size_t>(out_words), 0);
        put_out(machine_, bits, registers);
        if (out_bits) client.write_coils(0, bits);
        if (out_words) client.write_registers(0, registers);
        const auto due = began + std::chrono::microseconds(scan_us());
        while (std::chrono::steady_clock::now() < due && !stopped) ::usleep(200);
        now += std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - began).count();
    }

    void as_server() {
        class Served final : public wire::Served {
        public:
            Served(Controller& c) : c_(c) {}
            lock::State step(
                std::int64_t& us, int, const std::vector<std::uint16_t>& in, std::vector<std::uint16_t>& out) override {
                const std::lock_guard<std::mutex> hold(c_.mutex_);
                if (!c_.goes_on()) return lock::over;
                c_.now_ += us;
                take_words(c_.machine_.inputs(), in, c_.machine_.input_bytes());
                try {
                    c_.scan(c_.now_);
                } catch (const controller::Mistake& mistake) {
                    c_.mistake_ = mistake.what();
                    stopped = true;
                    return lock::over;
                }
                const auto image = words_of(c_.machine_.outputs(), c_.machine_.output_bytes());
                std::copy(image.begin(), image.end(), out.begin());
                us = c_.scan_us();
                return lock::goes_on;
            }
            void before_request(wire::Tables& t) override {
                const std::lock_guard<std::mutex> hold(c_.mutex_);
                put_out(c_.machine_, t.discrete_inputs, t.input_registers);
            }
            void coils_written(const wire::Tables& t, int, int) override { heard(t); }
            void registers_written(const wire::Tables& t, int, int) override { heard(t); }

        private:
            void heard(const wire::Tables& t) {
                const std::lock_guard<std::mutex> hold(c_.mutex_);
                take_in(c_.machine_, t.coils, t.holding_registers);
            }
            Controller& c_;
        } served(*this);
        const auto [in_bits, in_words] = size_of(machine_, Address::Area::input);
        const auto [out_bits, out_words] = size_of(machine_, Address::Area::output);
        wire::Tables tables{std::vector<std::uint8_t>(static_cast<std::size_t>(in_bits)),
            std::vector<std::uint8_t>(static_cast<std::size_t>(out_bits)),
            std::vector<std::uint16_t>(static_cast<std::size_t>(in_words)),
            std::vector<std::uint16_t>(static_cast<std::size_t>(out_words))};
        wire::Server server(endpoint(), std::move(tables), served);
        std::cerr << "listening at " << endpoint().text() << "\n";
        const auto began = std::chrono::steady_clock::now();
        while (goes_on()) {
            if (!o_.lock_step) {
                const std::lock_guard<std::mutex> hold(mutex_);
                scan(std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - began)
                         .count());
            }
            {
                const std::lock_guard<std::mutex> hold(mutex_);
                const wire::Counts counts = server.counts();
                watch_.look(machine_, scans_,
                    std::to_string(counts.clients) + " connected, " + std::to_string(counts.requests) + " requests");
            }
            ::usleep(o_.lock_step ? 5000 : static_cast<useconds_t>(scan_us()));
        }
        const std::lock_guard<std::mutex> hold(mutex_);
        if (!mistake_.empty()) throw std::runtime_error(mistake_);
    }

    const Options& o_;
    Machine machine_;
    Watch watch_;
    std::mutex mutex_;
    std::string mistake_;
    long scans_ = 0, lost_ = 0;
    int number_ = 0;
    bool was_there_ = false;
    std::int64_t now_ = 0;
};

}  // namespace

int main(int argc, char** argv) {
    Options o;
    CLI::App app{
        "A controller that stands in for a real one: goes through a program in structured text (IEC 61131-3) as "
        "Modbus TCP client or server. For trying cells, not for factories."};
    app.add_option("PROGRAM", o.program, "the program (*.st)")->required();
    app.add_option("--host", o.host, "the cell's address; as server: where to listen (127.0.0.1)");
    app.add_option("--port", o.port, "(1502)")->check(CLI::Range(1, 65535));
    app.add_option("--unit", o.unit, "Modbus unit identifier (1)")->check(CLI::Range(1, 247));
    app.add_flag("--server", o.server, "wait for the cell to connect, instead of connecting to it");
    app.add_option("--scan-ms", o.scan_ms, "time of a scan (10)")->check(CLI::Range(0.1, 10000.0));
    app.add_flag("--lock-step", o.lock_step, "the cell's clock goes on by a scan's time with each scan");
    app.add_option("--scans", o.scans, "end after so many")->check(CLI::Range(1L, 1'000'000'000L));
    app.add_flag("--watch", o.watch, "a table of the variables; NAME=VALUE on stdin forces one, NAME lets it go");
    app.add_option("--force", o.forced, "NAME=VALUE, from the beginning");
    app.add_flag("--check", o.check, "only read the program");
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e) == 0 ? 0 : 2;
    }
    std::signal(SIGINT, [](int) { stopped = true; });
    std::signal(SIGTERM, [](int) { stopped = true; });
    std::signal(SIGPIPE, SIG_IGN);
    std::optional<Controller> controller;
    try {
        controller.emplace(o);
    } catch (const std::exception& problem) {
        std::cerr << o.program << ": " << problem.what() << "\n";
        return 2;
    }
    try {
        controller->run();
        if (o.check) std::cout << o.program << ": fine\n";
        return 0;
    } catch (const wire::WireError& problem) {
        std::cerr << problem.what() << "\n";
        return 2;
    } catch (const std::exception& problem) {
        std::cerr << o.program << ": " << problem.what() << "\n";
        return 1;
    }
}
