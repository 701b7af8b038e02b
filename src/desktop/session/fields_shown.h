#pragma once
// Fields over the floor, worked out behind the window: what an arm reaches, and where its base may stand. Whoever draws
// one asks for it; where it is not known yet it is worked out, and `found` tells when it is there.

#include <deque>
#include <map>
#include <memory>

#include <inspection/base_field.h>
#include <study/figures.h>

#include "background.h"

namespace escarp::desktop {

class FieldsShown : public QObject {
    Q_OBJECT
public:
    explicit FieldsShown(QObject* parent = nullptr);

    /// Of an arm of a cell, at a height over its base; with the tool straight down, or in one orientation (base frame).
    std::shared_ptr<const kinematics::ReachField> reach(const std::shared_ptr<const cell::Cell>& cell, int arm,
        double height, const std::optional<geometry::Matrix3>& orientation);
    /// Of an arm of an evaluated cell, for a base where it stands there, or as `now` has it.
    std::shared_ptr<const inspection::BaseField> base(
        const std::shared_ptr<const study::Evaluation>& evaluation, int arm, const cell::Device& now);
    /// Nothing that was asked for is still to come.
    bool settled() const { return waiting_.empty() && !at_work_.asked(); }

Q_SIGNALS:
    void found();

private:
    struct Field {
        std::shared_ptr<const kinematics::ReachField> reach;
        std::shared_ptr<const inspection::BaseField> base;
    };
    struct Question {
        std::uint64_t key;
        std::function<Field(const motion::StopFlag&)> work;
        bool operator==(const Question& o) const { return key == o.key; }
    };
    /// Null where it is not known yet: then it is worked out before what was asked for earlier.
    const Field* find(Question question);
    void go_on();
    void take();

    struct Kept {
        Field field;
        std::uint64_t used = 0;
    };
    std::map<std::uint64_t, Kept> kept_;
    std::uint64_t uses_ = 0;
    std::deque<Question> waiting_;  ///< the newest first
    Background<Question, Field> at_work_;
};

}  // namespace escarp::desktop
