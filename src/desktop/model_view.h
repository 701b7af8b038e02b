#pragma once
// Model: the same instant in 3D.

#include "scene_view.h"
#include "workspace.h"

namespace escarp::desktop {

class ModelView : public SceneView {
    Q_OBJECT
public:
    explicit ModelView(Workspace& workspace, QWidget* parent = nullptr);
    void fit();
    void fit_selection();
    QSize sizeHint() const override { return {340, 400}; }

protected:
    std::vector<Item> items() const override;
    void paint_words(QPainter& p) override;
    void clicked(int owner, Qt::KeyboardModifiers keys) override;

private:
    void fit_to(const std::vector<int>& devices);
    void draw_devices(QPainter& p) const;

    Workspace& workspace_;
    QTimer later_;
};

}  // namespace escarp::desktop
