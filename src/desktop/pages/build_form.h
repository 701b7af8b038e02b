#pragma once
// What can be said of one link of a mechanism that is being built: its bodies, the joint that carries it, its mass; and
// the flange.

#include <QScrollArea>
#include <QVBoxLayout>
#include <functional>

#include "build_view.h"

class QComboBox;
class QHBoxLayout;
class QPushButton;

namespace escarp::desktop {

class BuildForm : public QScrollArea {
    Q_OBJECT
public:
    /// A change of the model's text form, under the name that the undo list shows.
    using Change = std::function<void(cell::json& model)>;
    explicit BuildForm(const Building& building, QWidget* parent = nullptr);
    void rebuild(const std::vector<std::pair<QString, QString>>& meshes);  ///< ids and names of the cell's meshes
    void show_values();                                                    ///< those that are tried

Q_SIGNALS:
    void changed(const QString& name, const escarp::desktop::BuildForm::Change& change);
    void wants_zero(int joint);

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void title(const QString& text, const QString& hint = {});
    void add_bodies();
    void add_body(std::size_t index);
    void add_joint();
    void add_drive(int joint);
    void add_leader(int joint, const std::string& key);
    void add_flange();
    void add_mass();
    /// A row of number fields for a value or a list of them at `path` of the model.
    void numbers(const QString& label, const std::string& path, const QString& unit, double low, double high,
        const std::vector<double>& usual, const QStringList& letters = {});
    void text(const QString& label, const std::string& path, const QString& what);
    QComboBox* choice(const QString& label, const QString& name, const std::vector<std::pair<QString, QString>>& words,
        const QString& now, std::function<void(const QString&)> act);
    QHBoxLayout* row(const QString& label);
    QPushButton* button(QHBoxLayout* into, const QString& text, const QString& name, std::function<void()> act);
    void change(const QString& name, Change change);
    const cell::json& link() const { return building_.model["links"][building_.link]; }
    std::string link_path() const { return cell::Path("links") / std::to_string(building_.link); }

    const Building& building_;
    QWidget* page_;
    QVBoxLayout* rows_;
    QPushButton* zero_ = nullptr;
    std::vector<std::pair<QString, QString>> meshes_;
};

}  // namespace escarp::desktop
