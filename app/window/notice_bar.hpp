// The lines under the stage that say what was done, what went wrong and what is going on, with links as
// links; and the progress of long work with a way to cancel it. Never asks before it lets work go on.
#pragma once
#include <QTimer>
#include <QWidget>
#include <functional>
#include <vector>

class QLabel;
class QProgressBar;
class QPushButton;
class QScrollArea;

namespace nb {

/// Something a person can do about what is said, by a click on its words.
struct NoticeLink {
    QString words;
    std::function<void()> run;
};

class NoticeBar : public QWidget {
    Q_OBJECT

  public:
    explicit NoticeBar(QWidget* parent = nullptr);
    /// Trouble stays until it is put away, and so does what has links.
    void say(const QString& line, bool is_trouble = false, const std::vector<NoticeLink>& links = {});
    /// The link of these words: what is said goes, and it is done.
    void choose(const QString& words);
    void refresh();
    QString line() const { return line_; }
    void show_progress(const QString& what, int done, int of);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  signals:
    void cancel_wanted();

  private:
    QLabel *mark_, *text_, *work_;
    QScrollArea* scroll_;
    QProgressBar* bar_;
    QPushButton *cancel_, *close_;
    QTimer fade_, patience_;
    QString line_;
    std::vector<NoticeLink> links_;
    bool is_trouble_ = false;
    int done_ = 0;
    int of_ = 0;

    void fit();
};

}  // namespace nb
