#pragma once
// A cell at one instant: joint values of all that moves, where each link and each part is, what is held, what shines.
// Whatever shows an instant asks it: drawings, pictures, exporters, questions.

#include "trace.h"

namespace escarp::simulation {

/// Joint values that somebody gives a mover by hand, in place of those of the run.
struct Posed {
    std::string device;  ///< id
    JointVector q;
};

/// The cell and the run have to outlive it. Cheap to move, not to copy.
class Scene {
public:
    struct Mover {
        int device;
        JointVector q;
        std::vector<Frame> links;                ///< world; one for each link of the mechanism
        Frame flange, tool;                      ///< world; of what is no arm: what carries
        int holds = -1;                          ///< part, -1
        std::vector<MotionRecord::Also> also{};  ///< what else it holds
    };
    struct Part {
        int part;            ///< its number in the run
        int type;            ///< index among the part types of the cell that is shown
        int on;              ///< device that it stands or rides on, or that holds it
        bool held;           ///< by that one's tool
        Frame at;            ///< world
        std::string result;  ///< latest judgement, or empty
    };

    /// Before anything runs: what moves stands ready, and there are no parts.
    explicit Scene(const cell::Cell& cell) : Scene(cell, nullptr, nullptr, 0) {}
    /// While the cell runs.
    Scene(const cell::Cell& cell, const Trace& trace, Ticks t) : Scene(cell, &cell, &trace, t) {}
    /// Of a cell that was edited since it ran as `ran`: devices and part types are found again by their ids; what has
    /// another mechanism by now stands ready. `ran` and `trace` may be null: nothing has run yet.
    Scene(const cell::Cell& cell, const cell::Cell* ran, const Trace* trace, Ticks t, const Posed* posed = nullptr);

    const cell::Cell& cell() const { return *cell_; }
    /// Null where it does not move.
    const Mover* mover(int device) const { return at_[device] < 0 ? nullptr : &movers_[at_[device]]; }
    const std::vector<Mover>& movers() const { return movers_; }
    const std::vector<Part>& parts() const { return parts_; }
    /// Whether a device's signal is on.
    bool is_on(int device, const std::string& signal) const;

    /// A body of a device, where it is now.
    struct Placed {
        const geometry::Body& body;
        Frame at;       ///< of the body's axes, world
        int link = -1;  ///< that it belongs to; -1: to what does not move
        bool of_tool = false;
    };
    /// All of a device: what does not move, then the links, then the tool. `use` takes a Placed.
    template <typename Use>
    void each_body(int device, const Use& use) const {
        const cell::Device& d = cell_->devices[device];
        for (const geometry::Body& b : d.bodies) use(Placed{b, d.world * b.at});
        const Mover* m = mover(device);
        if (!m) return;
        const cell::Arm& arm = *d.mover();
        for (std::size_t l = 0; l < m->links.size(); ++l)
            for (const geometry::Body& b : arm.model->mechanism.links[l].bodies)
                use(Placed{b, m->links[l] * b.at, static_cast<int>(l)});
        for (const geometry::Body& b : arm.tool_bodies) use(Placed{b, m->flange * b.at, arm.model->flange_link, true});
    }

private:
    const cell::Cell* cell_;
    const cell::Cell* ran_;
    const Trace* trace_;
    Ticks t_;
    std::vector<int> at_;   ///< by device: which of the movers
    std::vector<int> was_;  ///< by device: which it is in the cell that ran, -1
    std::vector<Mover> movers_;
    std::vector<Part> parts_;
};

}  // namespace escarp::simulation
