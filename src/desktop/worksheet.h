#pragma once
// Worksheet: one card per device with its steps as lines, edited in place.

#include <QScrollArea>
#include <QVBoxLayout>

#include "workspace.h"

namespace escarp::desktop {

class Worksheet : public QScrollArea {
    Q_OBJECT
public:
    explicit Worksheet(Workspace& workspace, QWidget* parent = nullptr);

Q_SIGNALS:
    void wants_device(const QPoint& global);  ///< the "+ device" line was used

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void rebuild();
    void refresh();  ///< times and marks of the lines
    QWidget* card(const cell::Device& device, const cell::json& values);
    void add_fields(QVBoxLayout* layout, const cell::Device& device, const cell::json& values);
    void add_step_fields(QVBoxLayout* layout, const cell::Device& device, const cell::Step& step, const cell::json& values);
    void add_step_menu(QVBoxLayout* layout, const cell::Device& device);
    void set_value(const std::string& path, const cell::json& value, const QString& name);

    Workspace& workspace_;
    QWidget* page_;
    QVBoxLayout* cards_;
    bool building_ = false;
};

}  // namespace escarp::desktop
