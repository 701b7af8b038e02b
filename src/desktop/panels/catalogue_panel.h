#pragma once
// What can be placed, with pictures drawn from the true bodies; searched by typing, placed by click, drag or Enter.

#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <optional>

#include <cell/edits/compose.h>
#include <desktop/session/open_cell.h>

namespace escarp::desktop {

class CataloguePanel : public QWidget {
    Q_OBJECT
public:
    explicit CataloguePanel(OpenCell& open, QWidget* parent = nullptr);
    void search();  ///< the keyboard goes to the search line
    /// Keeps a device with what it needs in the personal library, under a name; an own device of this name is replaced.
    /// False with a message through `OpenCell::refused`.
    bool keep_own(const QString& device, const QString& name);
    const std::vector<cell::Offering>& all() const { return all_; }
    /// What a drag from here carries.
    static std::optional<cell::Offering> carried(const QMimeData* data);
    static QString library_folder();

Q_SIGNALS:
    void chosen(const escarp::cell::Offering& what);  ///< a click: it is to be put down on the Floor
    void taken(const escarp::cell::Offering& what);   ///< Enter: it goes where there is room

private:
    void load();
    void narrow();
    bool eventFilter(QObject* object, QEvent* event) override;
    void forget_own();

    OpenCell& open_;
    QLineEdit* line_;
    QListWidget* list_;
    std::vector<cell::Offering> all_;
    std::vector<QIcon> pictures_;
    cell::json listed_;  ///< the file's own arm models, as they are listed
    int own_from_ = 0;   ///< index of the first own device
};

/// A small picture of what an offering is, from its bodies.
QPixmap picture_of(const cell::Offering& what, const QSize& size);

}  // namespace escarp::desktop
