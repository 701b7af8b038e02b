#pragma once
// What a drive moves between two places: where it begins and where its input sends it.

#include "../axis.h"

namespace escarp::simulation {

/// Goes to one value while its input is on and to the other while it is off; what it has begun it ends first. Its
/// signals: at 0, at the other end, the input.
class TwoPlaces final : public Behaves<TwoPlaces> {
public:
    TwoPlaces(const cell::Device& device, int index, double when_off, double when_on)
        : Acts(device, index), drive_(device, index), when_off_(when_off), when_on_(when_on) {}

    void start(Kernel& k) override {
        drive_.start(k);
        tell(k);
    }
    bool poll(Kernel& k) override {
        const double wanted = k.on(signal(input_signal)) ? when_on_ : when_off_;
        if (drive_.moves() || wanted == drive_.value()) return false;
        k.at(drive_.go(k, wanted), *this, 0);
        tell(k);
        return true;
    }
    void event(Kernel& k, int, int) override {
        drive_.arrived(k, drive_.value());
        tell(k);
    }
    void write_state(StateWriter& w) const override { drive_.write_state(w); }

    static std::vector<cell::Signal> signals(
        const char* at_0, const char* there, bool begins_there, const char* input, bool input_on) {
        cell::Signal first{at_0}, second{there};
        first.start = !begins_there, second.start = begins_there;
        return {first, second, input_on ? cell::Signal::input_on(input) : cell::Signal::input_off(input)};
    }

private:
    static constexpr int at_0_signal = 0, there_signal = 1, input_signal = 2;
    void tell(Kernel& k) {
        k.set_signal(signal(at_0_signal), !drive_.moves() && drive_.value() == 0);
        k.set_signal(signal(there_signal), !drive_.moves() && drive_.value() != 0);
    }
    AxisDrive drive_;
    const double when_off_, when_on_;
};

}  // namespace escarp::simulation
