#pragma once
// MQTT (3.1.1) over libmosquitto: a client that keeps its connection up by itself.

#include <atomic>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "modbus.h"

struct mosquitto;
struct mosquitto_message;

namespace escarp::wire {

struct MqttOptions {
    Endpoint broker;
    bool tls = false;            ///< with the system's certificates
    std::string user, password;  ///< empty: none
    std::vector<std::string> subscriptions;
    std::string presence;  ///< topic that says "online", and "offline" where the connection is lost; retained
};

class Mqtt {
public:
    /// `heard` and `connected` (each time that it is, after the subscriptions were asked for) are called on the
    /// client's thread. Connects in the background.
    Mqtt(MqttOptions options, std::function<void(const std::string& topic, const std::string& payload)> heard,
        std::function<void()> connected = {});
    ~Mqtt();
    Mqtt(const Mqtt&) = delete;

    /// Goes out when it can; where too many wait, or nobody is connected, it is dropped.
    void publish(const std::string& topic, std::string payload, bool retain);
    struct Status {
        bool connected = false;
        std::string words = "not connected yet";
        long sent = 0, heard = 0, dropped = 0, lost = 0;
    };
    Status status() const;

private:
    struct Message {
        std::string topic, payload;
        bool retain;
    };
    void work();
    bool connect();
    void send_waiting();
    static void on_connect(mosquitto* client, void* self, int code);
    static void on_disconnect(mosquitto* client, void* self, int code);
    static void on_message(mosquitto* client, void* self, const mosquitto_message* message);

    const MqttOptions options_;
    const std::function<void(const std::string&, const std::string&)> heard_;
    const std::function<void()> connected_;
    mosquitto* client_ = nullptr;
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::vector<Message> waiting_;
    Status status_;
    std::atomic<bool> stop_ = false, up_ = false;
    std::thread thread_;
};

}  // namespace escarp::wire
