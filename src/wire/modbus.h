#pragma once
// Modbus TCP, both sides, over libmodbus. Used by the cell's links and by the stand-in controller.

#include <atomic>
#include <cstdint>
#include <memory>
#include <stdexcept>
#include <string>
#include <thread>
#include <vector>

namespace escarp::wire {

/// A port that is taken, a host that is not there, an answer that does not come: what, and what can be done.
class WireError : public std::runtime_error {
public:
    using std::runtime_error::runtime_error;
};

/// Where a server listens, or a client connects to.
struct Endpoint {
    std::string host = "127.0.0.1";
    int port = 1502;
    int unit = 1;
    double time_out = 0.5;  ///< s
    std::string text() const { return host + ":" + std::to_string(port); }
};

/// The four tables of a Modbus server.
struct Tables {
    std::vector<std::uint8_t> coils, discrete_inputs;  ///< 0 or 1 each
    std::vector<std::uint16_t> holding_registers, input_registers;
};

// Lock-step: a convention of our own in holding registers that no other value uses. Who is client writes how far its
// side has come with all that it sets, in one request that also reads; who is server does its share before it answers.
// With function code 23 that is one exchange for each scan.
namespace lock_step {
/// Written: how long the step is (microseconds, high word first), number of the step, then the image, low byte first.
inline constexpr int to_server = 60'000, step_us = 0, number = 2, image = 3;
/// Read: number of the step that was done, its state, how long it was (as above), then the image.
inline constexpr int from_server = 61'000, done = 0, state = 1, done_us = 2, back_image = 4;
inline constexpr int most_words = 500;  ///< of an image
enum State : std::uint16_t { goes_on = 0, over = 1, not_yet = 2 };
}  // namespace lock_step

/// What stands behind a server. Called on its thread, one at a time.
class Served {
public:
    virtual ~Served() = default;
    virtual void before_request(Tables&) {}  ///< what can be read is brought up to date
    /// A client has written coils or holding registers.
    virtual void coils_written(const Tables&, int /*from*/, int /*count*/) {}
    virtual void registers_written(const Tables&, int /*from*/, int /*count*/) {}
    /// Goes on by a step; `image` comes in, and goes out as it then is.
    virtual lock_step::State step(std::int64_t& /*microseconds*/, int /*number*/,
        const std::vector<std::uint16_t>& /*in*/, std::vector<std::uint16_t>& /*out*/) {
        return lock_step::over;
    }
};

struct Counts {
    long requests = 0, refused = 0, connections = 0;  ///< refused: what was no request, or to another unit
    int clients = 0;                                  ///< now
};

class Server {
public:
    /// Sizes of the tables: what is beyond them is refused as an illegal address. Throws WireError where it cannot
    /// listen.
    Server(const Endpoint& at, Tables tables, Served& served);
    ~Server();
    Server(const Server&) = delete;
    Counts counts() const;

private:
    class Work;
    std::unique_ptr<Work> work_;
    std::thread thread_;
};

/// Connects when it is first asked, and again after a failure.
class Client {
public:
    explicit Client(const Endpoint& to);
    ~Client();
    Client(const Client&) = delete;
    // Each throws WireError; the connection is then given up.
    void connect();
    bool connected() const { return connected_; }
    void close();
    std::vector<std::uint8_t> read_discrete_inputs(int from, int count);
    std::vector<std::uint16_t> read_input_registers(int from, int count);
    std::vector<std::uint16_t> read_holding_registers(int from, int count);
    void write_coils(int from, const std::vector<std::uint8_t>& values);
    void write_registers(int from, const std::vector<std::uint16_t>& values);
    /// One step in lock-step: `image` goes there, what comes back is in it. Waits until the server has done its share
    /// or `stop` is set.
    lock_step::State step(std::int64_t& microseconds, int number, std::vector<std::uint16_t>& image,
        std::size_t back_words, const std::atomic<bool>& stop);

private:
    struct Context;
    [[noreturn]] void fail(const char* doing);
    std::unique_ptr<Context> context_;
    const Endpoint to_;
    bool connected_ = false;
};

}  // namespace escarp::wire
