#pragma once
// What a kind of step brings: its keys, its words and what it asks of the arm. How it is carried out is added by the
// simulation layer, which derives from this; a kind is one file there and one line in its list.

#include <functional>
#include <map>

#include "cell.h"
#include "expression.h"
#include "field.h"

namespace escarp::cell {

/// Reads one step of a task.
class StepReader {
public:
    StepReader(const Reader& reader, const StepKind& kind, const Cell& cell, const Device& owner,
        std::function<std::vector<Step>(const std::string&)> inner,
        std::function<std::vector<Step>(const std::string&)> block);

    const Values& values() const { return values_; }
    const Cell& cell() const { return cell_; }
    const Device& owner() const { return owner_; }
    void problem(const std::string& key, const std::string& message) const { values_.problem(key, message); }

    std::vector<Step> inner(const std::string& key) const { return inner_(key); }  ///< a list of inner steps
    std::vector<Step> block(const std::string& id) const { return block_(id); }    ///< the steps of a block

    int seated_device(const std::string& key) const;  ///< index of a device that has a place for a part
    int signal() const;                               ///< index of the one that "signal" names; -1 and a problem
    int own_signal(bool number) const;  ///< the same, where it has to be an output of the owner of this sort
    std::shared_ptr<const Expression> condition(const std::string& key) const;  ///< null where the key is missing
    std::shared_ptr<const Expression> number(const std::string& key) const;
    int side_task(const std::string& key) const;  ///< index among the owner's; -1 and a problem
    void needs_tool() const;
    /// How the arm moves: speeds, corner, posture ... A single `speed` where it only goes one way.
    void motion(Step& step, bool one_speed) const;
    /// Approach, retreat and turn at a part or its place.
    void work(Step& step) const;

private:
    void held(Step& step) const;
    void window(Step& step) const;
    std::shared_ptr<const Expression> expression(const std::string& key, bool condition) const;

    Values values_;
    const Cell& cell_;
    const Device& owner_;
    std::function<std::vector<Step>(const std::string&)> inner_, block_;
};

class StepKind {
public:
    virtual ~StepKind() = default;
    virtual std::string id() const = 0;     ///< the word in the file: "pick"
    virtual std::string label() const = 0;  ///< in menus: "Pick"
    virtual const Fields& fields() const = 0;
    /// Lists of inner steps that it has, by key.
    virtual std::vector<std::string> lists() const { return {}; }
    virtual Reach reach() const { return Reach::nowhere; }
    /// What of an arm it needs: nothing, that there is one, that it moves it or uses its tool.
    enum class ArmUse { none, asks, moves };
    virtual ArmUse arm_use() const { return reach() == Reach::nowhere ? ArmUse::none : ArmUse::moves; }
    virtual void read(const StepReader& reader, Step& step) const = 0;
    virtual std::string words(const Cell& cell, const Step& step) const = 0;
    /// Keys of a new one. Throws InputError with the reason where the cell has nothing that it could refer to.
    virtual json fresh(const Cell&, const Device& /*owner*/) const { return fresh_of(fields()); }
};

/// Keys of a step that moves the arm with one speed, and of one that works on a part.
Fields move_fields();
Fields work_fields();
/// The id of the first device with a place for a part, one of the kinds that `rather` likes if there is any. Throws
/// InputError.
std::string any_seated(const Cell& cell, const std::function<bool(const DeviceKind&)>& rather);

}  // namespace escarp::cell
