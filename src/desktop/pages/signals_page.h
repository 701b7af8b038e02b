#pragma once
// Signals: everything that devices tell each other in one place: who sets and hears it, its level over time, what
// inputs take, values that are forced, addresses on the I/O list.

#include <QLineEdit>
#include <QTreeWidget>
#include <QVBoxLayout>

#include <cell/read/wiring.h>
#include <desktop/session/workspace.h>

class QHBoxLayout;

namespace escarp::desktop {

class SignalsPage : public QWidget {
    Q_OBJECT
public:
    explicit SignalsPage(Workspace& workspace, QWidget* parent = nullptr);
    /// Chooses a signal by its full name.
    void choose(const QString& signal);
    QTreeWidget* table() { return table_; }

Q_SIGNALS:
    void wants_io_list();
    void wants_step(const QString& device, const QString& step);  ///< who sets or hears was clicked

protected:
    void showEvent(QShowEvent* event) override;

private:
    QHBoxLayout* make_head();
    void make_table();
    QWidget* make_side();
    void follow();
    enum Column { name, way, type, now, over_time, takes, heard, address };
    void renew();         ///< lines for the signals that there are
    void renew_values();  ///< at the cursor
    void renew_detail();
    void narrow();
    void add_uses(const QString& title, const std::vector<cell::SignalUse>& uses);
    void add_force(const cell::Signal& signal, const QString& full_name);
    void add_source(const cell::Signal& signal);
    void add_description(const cell::Signal& signal);
    void edit(const std::function<cell::Edit(const cell::Layout&)>& make);
    int chosen() const;  ///< index of the chosen signal; -1: none

    Workspace& workspace_;
    QLineEdit* filter_;
    QTreeWidget* table_;
    QWidget* detail_ = nullptr;
    QVBoxLayout* side_;
    cell::Wiring wiring_;
    QString chosen_;
    bool quiet_ = false;
};

}  // namespace escarp::desktop
