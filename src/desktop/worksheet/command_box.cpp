#include "command_box.h"

#include <QVBoxLayout>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {

CommandBox::CommandBox(
    CommandSession& session, std::function<std::pair<int, kinematics::JointVector>()> target, QWidget* parent)
    : QWidget(parent),
      session_(session),
      target_(std::move(target)),
      link_(new QComboBox),
      try_(new QPushButton(tr("Try it here first"))),
      send_(new QPushButton(tr("Send to the arm outside"))),
      words_(plain_label()) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(3);
    QLabel* head = plain_label(tr("THE ARM OUTSIDE"));
    head->setFont(theme::font(10, true));
    head->setStyleSheet(QString("color: %1; padding-top: 5px;").arg(theme::muted.name()));
    rows->addWidget(head);
    link_->setObjectName("command_link");
    link_->setAccessibleName(tr("The link over which the arm is told"));
    for (const auto& [id, name] : session_.links()) link_->addItem(name, id);
    rows->addWidget(link_);
    try_->setObjectName("command_try");
    try_->setToolTip(tr("From where the arm says that it is: limits and the way there are judged, nothing is sent"));
    send_->setObjectName("command_send");
    send_->setToolTip(
        tr("Judged in the same way, then sent, with a fifth of its speed; Ctrl+. stops it. This is no "
           "safety function of a machine."));
    for (QPushButton* b : {try_, send_}) {
        b->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        rows->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, b] {
            const auto [arm, q] = target_();
            const QString link = link_->currentData().toString();
            if (arm >= 0) b == send_ ? session_.send(link, arm, q) : session_.try_here(link, arm, q);
        });
    }
    words_->setObjectName("command_words");
    words_->setWordWrap(true);
    words_->setFont(theme::font(11));
    rows->addWidget(words_);
    connect(&session_, &CommandSession::changed, this, &CommandBox::renew);
    renew();
}

void CommandBox::renew() {
    const auto [arm, q] = target_();
    const QString words = session_.words(arm, q);
    words_->setText(words);
    words_->setVisible(!words.isEmpty());
    try_->setEnabled(!session_.busy()), send_->setEnabled(!session_.busy());
}

}  // namespace escarp::desktop
