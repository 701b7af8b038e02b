#pragma once
// What a drive moves between two places: where it begins and where its input sends it.

#include <simulation/axis.h>

namespace escarp::simulation {

/// Goes to one value while its input is on and to the other while it is off; what it has begun it ends first. Its
/// signals: at 0, at the other end, the input.
class TwoPlaces final : public Behaves<TwoPlaces> {
public:
    TwoPlaces(const cell::Device& device, int index, const cell::Cell& cell, double when_off, double when_on)
        : Acts(device, index), drive_(device, index, cell), when_off_(when_off), when_on_(when_on) {}
    /// The values of its axis there.
    static std::vector<double> values(const cell::Device& device) {
        return {0, device.axis->model->mechanism.joints.front().high};
    }

    void start(Kernel& k) override {
        drive_.start(k);
        tell(k);
    }
    bool poll(Kernel& k) override {
        const double wanted = k.on(signal(input_signal)) ? when_on_ : when_off_;
        if (drive_.moves()) return false;
        if (wanted == drive_.value()) return drive_.stays(k);
        const int place = wanted == 0 ? 1 : 2;
        if (!drive_.may_go(k, place)) return false;
        drive_.go(k, *this, there_event, wanted, place);
        tell(k);
        return true;
    }
    void event(Kernel& k, int what, int) override {
        if (drive_.left(k, what)) return;
        drive_.arrived(k, drive_.value());
        tell(k);
    }
    Listening listens_to() const override {
        Listening to;
        drive_.listen(to);
        return to;
    }
    std::optional<Waiting> waiting(const Kernel&) const override { return drive_.waiting(); }
    std::string words(const Kernel& k, int what) const override { return drive_.words(k, what); }
    void write_state(StateWriter& w) const override { drive_.write_state(w); }

    Pace pace() const override { return Pace::one_by_one; }

    static std::vector<cell::Signal> signals(
        const char* at_0, const char* there, bool begins_there, const char* input, bool input_on) {
        cell::Signal first{at_0}, second{there};
        first.start = !begins_there, second.start = begins_there;
        return {first, second, input_on ? cell::Signal::input_on(input) : cell::Signal::input_off(input)};
    }

private:
    static constexpr int at_0_signal = 0, there_signal = 1, input_signal = 2;
    static constexpr int there_event = 0;
    void tell(Kernel& k) {
        k.set_signal(signal(at_0_signal), !drive_.moves() && drive_.value() == 0);
        k.set_signal(signal(there_signal), !drive_.moves() && drive_.value() != 0);
    }
    AxisDrive drive_;
    const double when_off_, when_on_;
};

}  // namespace escarp::simulation
