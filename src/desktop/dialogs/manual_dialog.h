#pragma once
// The manual: what each part of the window does, the keys, and every field with what fits in it.

#include <QAction>
#include <QDialog>
#include <QTextBrowser>

class QLineEdit;
class QListWidget;

namespace escarp::desktop {

/// A widget with this property says itself which section is about it.
inline constexpr const char* manual_section = "manual_section";

class ManualDialog : public QDialog {
    Q_OBJECT
public:
    /// `actions`: whose keys are listed.
    ManualDialog(const QList<QAction*>& actions, QWidget* parent);
    void show_section(const QString& title);
    /// The section about a part of the window; the first one where there is none.
    static QString section_of(const QWidget* widget);

private:
    struct Section {
        QString title, text;
    };
    void narrow();
    void show_chosen();
    static QString keys(const QList<QAction*>& actions);
    static QString fields();

    std::vector<Section> sections_;
    QLineEdit* line_;
    QListWidget* list_;
    QTextBrowser* page_;
};

}  // namespace escarp::desktop
