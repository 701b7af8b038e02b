#include "mqtt.h"

#include <unistd.h>
#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>

#include <mosquitto.h>

namespace escarp::wire {
namespace {
constexpr std::size_t most_waiting = 20'000;   // messages
constexpr std::size_t most_bytes = 64u << 10;  // of one that comes in
constexpr int keep_alive = 20;                 // s
struct Library {
    Library() { mosquitto_lib_init(); }
    ~Library() { mosquitto_lib_cleanup(); }
};
}  // namespace

Mqtt::Mqtt(MqttOptions options, std::function<void(const std::string&, const std::string&)> heard,
    std::function<void()> connected)
    : options_(std::move(options)), heard_(std::move(heard)), connected_(std::move(connected)) {
    static const Library library;
    static std::atomic<int> made{0};
    const std::string name = "escarp-" + std::to_string(::getpid()) + "-" + std::to_string(++made);
    client_ = mosquitto_new(name.c_str(), true, this);
    if (!client_) throw WireError("No room for an MQTT client.");
    mosquitto_connect_callback_set(client_, on_connect);
    mosquitto_disconnect_callback_set(client_, on_disconnect);
    mosquitto_message_callback_set(client_, on_message);
    if (!options_.user.empty()) mosquitto_username_pw_set(client_, options_.user.c_str(), options_.password.c_str());
    if (options_.tls) mosquitto_tls_set(client_, nullptr, "/etc/ssl/certs", nullptr, nullptr, nullptr);
    if (!options_.presence.empty()) {
        const std::string off = "offline";
        mosquitto_will_set(client_, options_.presence.c_str(), static_cast<int>(off.size()), off.data(), 0, true);
    }
    thread_ = std::thread([this] { work(); });
}

Mqtt::~Mqtt() {
    {
        const std::lock_guard<std::mutex> hold(mutex_);
        stop_ = true;
    }
    wake_.notify_all();
    thread_.join();
    mosquitto_destroy(client_);
}

Mqtt::Status Mqtt::status() const {
    const std::lock_guard<std::mutex> hold(mutex_);
    return status_;
}

void Mqtt::publish(const std::string& topic, std::string payload, bool retain) {
    const std::lock_guard<std::mutex> hold(mutex_);
    if (!up_ || waiting_.size() >= most_waiting) ++status_.dropped;
    else waiting_.push_back({topic, std::move(payload), retain});
}

void Mqtt::on_connect(mosquitto* client, void* self, int code) {
    Mqtt& m = *static_cast<Mqtt*>(self);
    {
        const std::lock_guard<std::mutex> hold(m.mutex_);
        m.status_.connected = code == 0;
        m.status_.words =
            code == 0 ? "connected" : "The broker refuses: " + std::string(mosquitto_connack_string(code));
    }
    if (code != 0) return;
    m.up_ = true;
    for (const std::string& s : m.options_.subscriptions) mosquitto_subscribe(client, nullptr, s.c_str(), 0);
    if (!m.options_.presence.empty()) m.publish(m.options_.presence, "online", true);
    if (m.connected_) m.connected_();
}

void Mqtt::on_disconnect(mosquitto*, void* self, int) {
    Mqtt& m = *static_cast<Mqtt*>(self);
    const std::lock_guard<std::mutex> hold(m.mutex_);
    if (m.status_.connected) ++m.status_.lost, m.status_.words = "The connection went; it tries again.";
    m.status_.connected = false;
    m.up_ = false;
    m.waiting_.clear();
}

void Mqtt::on_message(mosquitto*, void* self, const mosquitto_message* message) {
    Mqtt& m = *static_cast<Mqtt*>(self);
    {
        const std::lock_guard<std::mutex> hold(m.mutex_);
        ++m.status_.heard;
    }
    if (message->payloadlen < 0 || static_cast<std::size_t>(message->payloadlen) > most_bytes) return;
    m.heard_(message->topic,
        std::string(static_cast<const char*>(message->payload), static_cast<std::size_t>(message->payloadlen)));
}

bool Mqtt::connect() {
    const int code = mosquitto_connect(client_, options_.broker.host.c_str(), options_.broker.port, keep_alive);
    if (code == MOSQ_ERR_SUCCESS) return true;
    const std::lock_guard<std::mutex> hold(mutex_);
    status_.words = "Connecting to " + options_.broker.text() + " failed: " +
                    (code == MOSQ_ERR_ERRNO ? std::string(std::strerror(errno)) : mosquitto_strerror(code)) + ".";
    return false;
}

void Mqtt::send_waiting() {
    std::vector<Message> now;
    {
        const std::lock_guard<std::mutex> hold(mutex_);
        now.swap(waiting_);
    }
    long sent = 0, dropped = 0;
    for (const Message& m : now) {
        const int code = mosquitto_publish(
            client_, nullptr, m.topic.c_str(), static_cast<int>(m.payload.size()), m.payload.data(), 0, m.retain);
        ++(code == MOSQ_ERR_SUCCESS ? sent : dropped);
    }
    const std::lock_guard<std::mutex> hold(mutex_);
    status_.sent += sent, status_.dropped += dropped;
}

void Mqtt::work() {
    constexpr double first_pause = 0.2, longest_pause = 5;  // s
    double pause = first_pause;
    const auto rest = [&] {
        std::unique_lock<std::mutex> hold(mutex_);
        wake_.wait_for(hold, std::chrono::duration<double>(pause), [this] { return stop_.load(); });
        pause = std::min(longest_pause, 2 * pause);
    };
    while (!stop_) {
        if (!connect()) {
            rest();
            continue;
        }
        constexpr int wait_ms = 5;
        while (!stop_ && mosquitto_loop(client_, wait_ms, 1) == MOSQ_ERR_SUCCESS) {
            if (!up_) continue;
            pause = first_pause;
            send_waiting();
        }
        if (stop_) break;
        up_ = false;
        {
            const std::lock_guard<std::mutex> hold(mutex_);
            waiting_.clear();
            if (std::exchange(status_.connected, false))
                ++status_.lost, status_.words = "The connection went; it tries again.";
        }
        mosquitto_disconnect(client_);
        rest();
    }
    if (!up_) return;
    if (!options_.presence.empty()) publish(options_.presence, "offline", true);
    send_waiting();
    mosquitto_loop(client_, 20, 1);
    mosquitto_disconnect(client_);
}

}  // namespace escarp::wire
