#include "app/window/notice_bar.hpp"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <algorithm>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"

namespace nb {

namespace {
constexpr int most_px = 130;
}

NoticeBar::NoticeBar(QWidget* parent) : QWidget(parent) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 2, 8, 2);
    mark_ = new QLabel(this);
    text_ = new QLabel(this);
    text_->setTextFormat(Qt::RichText);
    text_->setWordWrap(true);
    text_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard |
                                   Qt::TextSelectableByMouse);
    work_ = new QLabel(this);
    bar_ = new QProgressBar(this);
    bar_->setFixedWidth(120);
    bar_->setTextVisible(false);
    cancel_ = new QPushButton(tr("cancel"), this);
    cancel_->setToolTip(tr("Stops the work and leaves things as they were (Esc)"));
    close_ = new QPushButton(this);
    close_->setObjectName("bare");
    close_->setToolTip(tr("Put this away"));
    row->addWidget(mark_);
    scroll_ = new QScrollArea(this);
    scroll_->setWidget(text_);
    scroll_->setWidgetResizable(true);
    scroll_->setFocusPolicy(Qt::NoFocus);
    scroll_->setFrameShape(QFrame::NoFrame);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    row->addWidget(scroll_, 1);
    row->addWidget(work_);
    row->addWidget(bar_);
    row->addWidget(cancel_);
    row->addWidget(close_);
    setMinimumHeight(scaled(30));
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    for (QWidget* w : std::initializer_list<QWidget*>{mark_, work_, bar_, cancel_, close_}) w->hide();
    fade_.setSingleShot(true);
    patience_.setSingleShot(true);
    connect(&fade_, &QTimer::timeout, this, [this] { say({}); });
    // Short work passes unseen.
    connect(&patience_, &QTimer::timeout, this, [this] {
        for (QWidget* w : std::initializer_list<QWidget*>{work_, bar_, cancel_}) w->show();
    });
    connect(text_, &QLabel::linkActivated, this, &NoticeBar::choose);
    connect(cancel_, &QPushButton::clicked, this, &NoticeBar::cancel_wanted);
    connect(close_, &QPushButton::clicked, this, [this] { say({}); });
}

void NoticeBar::say(const QString& line, bool is_trouble, const std::vector<NoticeLink>& links) {
    line_ = line;
    links_ = links;
    is_trouble_ = is_trouble;
    QString html = line.toHtmlEscaped().replace('\n', "<br>");
    for (const NoticeLink& link : links)
        html += QString::fromUtf8(" · ") + link_to(link.words, link.words, look().mark);
    text_->setText(html);
    text_->setToolTip(line);
    fit();
    mark_->setVisible(is_trouble);
    if (is_trouble) mark_->setPixmap(icon("triangle-alert").pixmap(16, 16));
    close_->setIcon(icon("x"));
    close_->setVisible(!line.isEmpty());
    fade_.stop();
    if (!is_trouble && links.empty() && !line.isEmpty()) fade_.start(9000);
}

void NoticeBar::choose(const QString& words) {
    const auto link =
        std::find_if(links_.begin(), links_.end(), [&](const NoticeLink& r) { return r.words == words; });
    if (link == links_.end()) return;
    const auto run = link->run;
    say({});
    run();
}

/// Several lines stand under each other, as many as there is room for; the others scroll.
void NoticeBar::fit() {
    const int wide = std::max(200, width() - 60);
    const int wanted = text_->heightForWidth(wide) + 6;
    text_->setMinimumHeight(std::max(0, text_->heightForWidth(wide)));
    scroll_->setFixedHeight(std::clamp(wanted, scaled(26), scaled(most_px)));
    setFixedHeight(scroll_->height() + 4);
}

void NoticeBar::resizeEvent(QResizeEvent*) {
    fit();
}

/// After the look has changed: links and icons have its colours.
void NoticeBar::refresh() {
    if (!line_.isEmpty()) say(QString(line_), is_trouble_, std::vector<NoticeLink>(links_));
}

void NoticeBar::show_progress(const QString& what, int done, int of) {
    if (of == 0 && what.isEmpty()) {
        patience_.stop();
        for (QWidget* w : std::initializer_list<QWidget*>{work_, bar_, cancel_}) w->hide();
        return;
    }
    work_->setText(what);
    bar_->setRange(0, of);
    bar_->setValue(done);
    if (!bar_->isVisible() && !patience_.isActive()) patience_.start(250);
}

}  // namespace nb
