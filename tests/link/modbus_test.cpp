// Modbus TCP over loopback: against Debian's mbpoll and the library's own client; whatever else comes does no harm.
#include <arpa/inet.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>
#include <catch2/catch.hpp>
#include <cstdio>
#include <random>

#include <wire/modbus.h>

#include "support/ports.h"

using namespace escarp;
using tests::free_port;

namespace {

struct Behind final : wire::Served {
    void coils_written(const wire::Tables& t, int, int) override { tables = t, ++writes; }
    void registers_written(const wire::Tables& t, int, int) override { tables = t, ++writes; }
    void before_request(wire::Tables& t) override {
        for (std::size_t i = 0; i < inputs.size(); ++i) t.input_registers[i] = inputs[i];
        for (std::size_t i = 0; i < bits.size(); ++i) t.discrete_inputs[i] = bits[i];
    }
    wire::lock_step::State step(
        std::int64_t& us, int, const std::vector<std::uint16_t>& in, std::vector<std::uint16_t>& out) override {
        for (std::size_t i = 0; i < in.size(); ++i) out[i] = static_cast<std::uint16_t>(in[i] + us);
        if (++steps % 7 == 3) return wire::lock_step::not_yet;
        us *= 2;
        return steps > 300 ? wire::lock_step::over : wire::lock_step::goes_on;
    }
    wire::Tables tables;
    std::vector<std::uint16_t> inputs = std::vector<std::uint16_t>(300);
    std::vector<std::uint8_t> bits = std::vector<std::uint8_t>(2500);
    std::atomic<int> writes = 0;
    int steps = 0;
};

wire::Tables room() {
    return {std::vector<std::uint8_t>(2500), std::vector<std::uint8_t>(2500), std::vector<std::uint16_t>(300),
        std::vector<std::uint16_t>(300)};
}

std::string said_by(const std::string& command) {
    FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
    REQUIRE(pipe);
    std::string out;
    char buffer[512];
    while (std::fgets(buffer, sizeof buffer, pipe)) out += buffer;
    ::pclose(pipe);
    return out;
}

int raw_connection(int port) {
    const int s = ::socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in at{};
    at.sin_family = AF_INET, at.sin_addr.s_addr = htonl(INADDR_LOOPBACK),
    at.sin_port = htons(static_cast<std::uint16_t>(port));
    REQUIRE(::connect(s, reinterpret_cast<sockaddr*>(&at), sizeof at) == 0);
    return s;
}

}  // namespace

TEST_CASE("ten thousand random exchanges: every value is as it was set") {
    Behind behind;
    wire::Endpoint at;
    at.port = free_port(), at.time_out = 20;
    wire::Server server(at, room(), behind);
    wire::Client client(at);
    std::mt19937 random(11);
    for (int i = 0; i < 10'000; ++i) {
        const int count = 1 + static_cast<int>(random() % 260),
                  from = static_cast<int>(random() % static_cast<unsigned>(301 - count));
        switch (random() % 4) {
            case 0: {
                std::vector<std::uint16_t> sent(static_cast<std::size_t>(count));
                for (auto& w : sent) w = static_cast<std::uint16_t>(random());
                client.write_registers(from, sent);
                REQUIRE(client.read_holding_registers(from, count) == sent);
                break;
            }
            case 1: {
                std::vector<std::uint8_t> sent(static_cast<std::size_t>(8 * count));
                for (auto& b : sent) b = random() % 2;
                client.write_coils(from, sent);
                // The server tells of the last piece when it has answered it.
                REQUIRE_FALSE(client.read_input_registers(0, 1).empty());
                for (std::size_t n = 0; n < sent.size(); ++n)
                    REQUIRE(behind.tables.coils[static_cast<std::size_t>(from) + n] == sent[n]);
                break;
            }
            case 2: {
                for (int n = 0; n < count; ++n)
                    behind.inputs[static_cast<std::size_t>(from + n)] = static_cast<std::uint16_t>(random());
                const auto got = client.read_input_registers(from, count);
                REQUIRE(std::equal(got.begin(), got.end(), behind.inputs.begin() + from));
                break;
            }
            default: {
                for (int n = 0; n < 8 * count; ++n) behind.bits[static_cast<std::size_t>(from + n)] = random() % 2;
                const auto got = client.read_discrete_inputs(from, 8 * count);
                REQUIRE(std::equal(got.begin(), got.end(), behind.bits.begin() + from));
                break;
            }
        }
    }
    CHECK(server.counts().refused == 0);
    CHECK_THROWS_AS(client.read_holding_registers(290, 20), wire::WireError);  // beyond the table
}

TEST_CASE("mbpoll reads and writes what the server has") {
    Behind behind;
    wire::Endpoint at;
    at.port = free_port(), at.unit = 7;
    wire::Server server(at, room(), behind);
    std::mt19937 random(4);
    const std::string call =
        "mbpoll -m tcp -p " + std::to_string(at.port) + " -a 7 -0 -1 -q -o 10 ";  // s that it waits at most
    for (int round = 0; round < 25; ++round) {
        const int first = static_cast<int>(random() % 200), value = static_cast<int>(random() % 65'536),
                  bit = static_cast<int>(random() % 2);
        behind.inputs[static_cast<std::size_t>(first)] = static_cast<std::uint16_t>(value);
        behind.bits[static_cast<std::size_t>(first)] = static_cast<std::uint8_t>(bit);
        const std::string number = "[" + std::to_string(first) + "]: \t";
        CHECK(said_by(call + "-t 3 -r " + std::to_string(first) + " 127.0.0.1").find(number + std::to_string(value)) !=
              std::string::npos);
        CHECK(said_by(call + "-t 1 -r " + std::to_string(first) + " 127.0.0.1").find(number + std::to_string(bit)) !=
              std::string::npos);
        said_by(call + "-t 4 -r " + std::to_string(first) + " 127.0.0.1 " + std::to_string(value));
        CHECK(behind.tables.holding_registers.at(static_cast<std::size_t>(first)) == value);
        said_by(call + "-t 0 -r " + std::to_string(first) + " 127.0.0.1 " + std::to_string(bit));
        CHECK(behind.tables.coils.at(static_cast<std::size_t>(first)) == bit);
    }
    // Another unit is not answered, and does no harm.
    CHECK(said_by("mbpoll -m tcp -p " + std::to_string(at.port) + " -a 9 -0 -1 -q -o 0.1 -t 3 -r 1 127.0.0.1")
              .find("[1]:") == std::string::npos);
    CHECK(said_by(call + "-t 3 -r 1 127.0.0.1").find("[1]:") != std::string::npos);
}

TEST_CASE("a step goes there and back in any size; who asks again while it is under way asks once") {
    Behind behind;
    wire::Endpoint at;
    at.port = free_port(), at.time_out = 20;
    wire::Server server(at, room(), behind);
    wire::Client client(at);
    std::mt19937 random(9);
    const std::atomic<bool> stop = false;
    for (int i = 1; i <= 200; ++i) {
        const std::size_t words = random() % (wire::lock_step::most_words + 1),
                          back = random() % (wire::lock_step::most_words + 1);
        std::vector<std::uint16_t> image(words);
        for (auto& w : image) w = static_cast<std::uint16_t>(random());
        const std::vector<std::uint16_t> sent = image;
        std::int64_t us = 1 + static_cast<std::int64_t>(random() % 1'000'000);
        const std::int64_t asked = us;
        const auto state = client.step(us, i, image, back, stop);
        CHECK(us == 2 * asked);
        REQUIRE(image.size() == back);
        for (std::size_t n = 0; n < std::min(words, back); ++n)
            REQUIRE(image[n] == static_cast<std::uint16_t>(sent[n] + asked));
        if (state == wire::lock_step::over) break;
    }
}

TEST_CASE("a port that is taken, a host that is not there: told with what can be done") {
    Behind behind;
    wire::Endpoint at;
    at.port = free_port();
    const auto said = [](const auto& act) {
        try {
            act();
        } catch (const wire::WireError& problem) {
            return std::string(problem.what());
        }
        return std::string("nothing");
    };
    {
        wire::Server server(at, room(), behind);
        CHECK(
            said([&] { wire::Server(at, room(), behind); }) ==
            "Port " + std::to_string(at.port) + " of 127.0.0.1 is taken by another program; another port is expected.");
    }
    CHECK(said([&] { wire::Client(at).connect(); }) == "Connecting to " + at.text() + " failed: Connection refused.");
    wire::Endpoint nowhere = at;
    nowhere.host = "no.such.host.invalid";
    CHECK(said([&] {
        wire::Server(nowhere, room(), behind);
    }).find("\"no.such.host.invalid\" is no address of this machine") == 0);
    CHECK(said([&] { wire::Client(nowhere).connect(); }) != "nothing");
}

TEST_CASE("halves, garbage, floods and clients that never read do no harm to the others") {
    Behind behind;
    wire::Endpoint at;
    at.port = free_port(), at.time_out = 20;
    wire::Server server(at, room(), behind);
    wire::Client good(at);
    std::mt19937 random(2);
    const std::vector<std::uint16_t> value{4711};
    good.write_registers(5, value);
    const std::vector<std::uint8_t> request{0, 1, 0, 0, 0, 6, 1, 3, 0, 0, 0, 100};  // 100 holding registers
    for (int i = 0; i < 300; ++i) {
        const int s = raw_connection(at.port);
        std::vector<std::uint8_t> bytes = request;
        switch (random() % 4) {
            case 0: bytes.resize(1 + random() % 11); break;  // half a request, then nothing
            case 1:
                for (auto& b : bytes) b = static_cast<std::uint8_t>(random());
                break;
            case 2:
                bytes[7] = static_cast<std::uint8_t>(random()), bytes[10] = static_cast<std::uint8_t>(random());
                break;
            default: bytes[random() % bytes.size()] = static_cast<std::uint8_t>(random()); break;
        }
        (void)!::send(s, bytes.data(), bytes.size(), MSG_NOSIGNAL);
        ::close(s);
        if (i % 30 == 0) REQUIRE(good.read_holding_registers(5, 1) == value);
    }
    // One that asks and never reads is dropped in the end; others are answered meanwhile.
    const int deaf = raw_connection(at.port);
    const timeval patience{0, 10'000};
    ::setsockopt(deaf, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
    long sent = 0;
    for (int i = 0; i < 200'000; ++i) {
        if (::send(deaf, request.data(), request.size(), MSG_NOSIGNAL) <= 0) break;
        ++sent;
    }
    CHECK(sent > 1000);
    REQUIRE(good.read_holding_registers(5, 1) == value);
    ::close(deaf);
    // More clients than it takes.
    std::vector<int> many;
    for (int i = 0; i < 40; ++i) many.push_back(raw_connection(at.port));
    REQUIRE(good.read_holding_registers(5, 1) == value);
    for (const int s : many) ::close(s);
    CHECK(server.counts().refused > 0);
    // Those that have gone are let go.
    while (server.counts().clients > 1) std::this_thread::sleep_for(std::chrono::milliseconds(2));
    for (int i = 0; i < 1000; ++i) {
        wire::Client again(at);
        REQUIRE(again.read_holding_registers(5, 1) == value);
    }
}
