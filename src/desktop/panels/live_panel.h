#pragma once
// The live run: begun, paused and ended here; its clock, its links and what it has come to so far.

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

#include <desktop/fields/number_field.h>
#include <desktop/session/command_session.h>
#include <desktop/session/live_session.h>
#include <desktop/session/record_session.h>

namespace escarp::desktop {

class LivePanel : public QWidget {
    Q_OBJECT
public:
    LivePanel(OpenCell& open, Playhead& playhead, LiveSession& live, RecordSession& record, CommandSession& command,
        QWidget* parent = nullptr);
    QSize sizeHint() const override { return {230, 420}; }

private:
    QWidget* make_clock();
    void renew_links();
    void renew();
    void renew_findings();
    void renew_record();
    void open_record();
    QPushButton* line_to(const QString& text, double at_s);
    void start();
    void ask_names(const std::string& link);

    OpenCell& open_;
    Playhead& playhead_;
    LiveSession& live_;
    RecordSession& kept_;
    QPushButton *start_, *pause_, *step_, *present_, *leave_, *cut_, *record_open_, *record_compare_, *record_show_,
        *record_leave_;
    QComboBox* clock_;
    NumberField* rate_;
    QCheckBox *network_, *record_;
    QVBoxLayout *links_, *findings_, *differences_;
    QLabel *record_state_, *now_, *state_, *figures_, *link_states_, *edited_;
    std::map<std::string, QCheckBox*> chosen_;  ///< links, by id
    QStringList links_shown_;                   ///< what is said of each
    QStringList told_;                          ///< findings that stand there
    QStringList differences_told_;
};

}  // namespace escarp::desktop
