#pragma once
// The mechanism that is being built, alone in 3D: every link's frame, every joint's axis with its limits. A link that
// is dragged moves by its joint.

#include <cell/edits/build_model.h>
#include <desktop/model/scene_view.h>

namespace escarp::desktop {

/// What is being built, as the page, its form and its view share it.
struct Building {
    cell::json model;  ///< null: nothing is
    cell::ModelDraft draft;
    std::map<std::string, double> values;  ///< tried, by the joint's name; rad, m
    int link = 0;                          ///< the one that is looked at

    /// The joint with a drive of its own that moves a link (its own, what that one follows, or the nearest towards the
    /// base); -1: none.
    int drive_of(int link) const;
    double value(int joint) const { return draft.value(joint, values); }
};

class BuildView : public SceneView {
    Q_OBJECT
public:
    BuildView(const Building& building, const Surfaces& surfaces, QWidget* parent = nullptr);
    void fit();
    /// Something of what it shows is different.
    void follow();
    /// A point of a link in the world, at the values tried.
    geometry::Vector3 point_of(int link, const geometry::Vector3& local) const;

Q_SIGNALS:
    void chosen(int link);
    void tried(const QString& joint, double value);

protected:
    std::vector<Item> items() const override;
    void paint_words(QPainter& p) override;
    void clicked(int owner, Qt::KeyboardModifiers keys) override;
    bool grab(const QPointF& at, Qt::KeyboardModifiers keys) override;
    void dragged(const QPointF& at) override;
    void fit_again() override { fit(); }

private:
    void draw_joint(QPainter& p, int joint, const std::vector<geometry::Frame>& frames) const;
    const Building& building_;
    const Surfaces& surfaces_;
    int held_link_ = -1, held_joint_ = -1;
    geometry::Vector3 held_point_ = geometry::Vector3::Zero();  ///< in the link
};

}  // namespace escarp::desktop
