#pragma once
// Studies: questions about the variant looked at that take many runs, what came of them, and what it looks like.

#include <QElapsedTimer>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QTableWidget>

#include "study_plot.h"
#include "study_sentence.h"
#include "study_worker.h"

class QComboBox;
class QProgressBar;

namespace escarp::desktop {

class StudiesPage : public QWidget {
    Q_OBJECT
public:
    explicit StudiesPage(OpenCell& open, Results& results, QWidget* parent = nullptr);
    void choose(const QString& study);  ///< by its id
    QString chosen() const { return chosen_; }
    StudyPlot* plot() { return plot_; }
    /// What was found, as far as it goes; null: nothing yet.
    std::shared_ptr<const study::Answered> answer() const { return answer_; }
    bool busy() const { return worker_.busy(); }
    bool out_of_date() const;  ///< the cell is another since

Q_SIGNALS:
    void wants_cell();  ///< a point is looked at there
    void wants_step(const QString& device, const QString& step);

protected:
    void showEvent(QShowEvent* event) override;

private:
    QWidget* make_list();
    QWidget* make_middle();
    QWidget* make_side();
    void renew_list();
    void new_study(cell::Study::Asks asks, const QString& path = {});
    void remove_study();
    void ask();
    void look_up();  ///< what is there already
    void take(std::shared_ptr<const study::Answered> answer);
    void gather();
    void renew_plot();
    void renew_words();
    void renew_table();
    void list_gains();
    void show_point(int point);  ///< -2: the chosen one, or nothing
    void choose_point(int point);
    cell::Edit edit_of(int point) const;
    void look_at_point();
    void make_variant();
    const cell::Study* study() const;

    OpenCell& open_;
    Results& results_;
    StudyWorker worker_;
    QString chosen_, asked_;
    std::string asked_cell_;  ///< key of the cell that it was asked of
    std::shared_ptr<const study::Answered> answer_;
    std::vector<study::Tried> coming_;
    int point_ = -2;
    QElapsedTimer drawn_;    ///< since what is coming was drawn last
    qint64 drawing_ms_ = 0;  ///< that it took
    std::vector<int> rows_;

    QListWidget* list_;
    StudySentence* sentence_;
    QPushButton *ask_, *stop_, *look_, *variant_, *remove_;
    QProgressBar* progress_;
    QComboBox* figure_;
    StudyPlot* plot_;
    QLabel *words_, *state_, *point_words_, *picture_, *legend_;
    QTableWidget* table_;
};

}  // namespace escarp::desktop
