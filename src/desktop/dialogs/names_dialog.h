#pragma once
// What is told at a broker, set beside what the cell has: which of it is what, in which unit, turned or shifted.

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QTimer>

#include <desktop/session/open_cell.h>
#include <link/names.h>

namespace escarp::desktop {

class NamesDialog : public QDialog {
    Q_OBJECT
public:
    /// Listens at once; the link is one over MQTT.
    NamesDialog(OpenCell& open, const cell::Link& link, QWidget* parent);

private:
    struct Row {
        std::string ours;
        QComboBox *theirs, *unit;
        QTableWidgetItem *factor, *offset, *heard;
    };
    void fill();
    void hear();
    void propose();
    void tell_left_over();
    /// The link with the names as they stand in the table. A mistake is told, and nothing comes back.
    std::optional<cell::Link> said();
    void take();

    OpenCell& open_;
    const cell::Link link_;
    std::shared_ptr<const cell::Cell> cell_;
    link::Listener listener_;
    std::map<std::string, std::string> heard_;
    QTableWidget* table_;
    QLabel *state_, *left_over_, *mistake_;
    QPushButton *propose_, *take_;
    std::vector<Row> rows_;
    QTimer timer_;
};

}  // namespace escarp::desktop
