// The lines under the stage that say what was done, what went wrong and what is going on, with remedies as
// links; and the progress of long work with a way to cancel it. Never asks before it lets work go on.
#pragma once
#include <QTimer>
#include <QWidget>

class QLabel;
class QProgressBar;
class QPushButton;
class QScrollArea;

namespace nb {

class NoticeBar : public QWidget {
    Q_OBJECT

  public:
    explicit NoticeBar(QWidget* parent = nullptr);
    /// `links`: names of remedies; `link_chosen` tells which. Trouble stays until it is put away.
    void say(const QString& line, bool is_trouble = false, const QStringList& links = {});
    void refresh();
    QString line() const { return line_; }
    void show_progress(const QString& what, int done, int of);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  signals:
    void link_chosen(const QString& link);
    void cancel_wanted();

  private:
    QLabel *mark_, *text_, *work_;
    QScrollArea* scroll_;
    QProgressBar* bar_;
    QPushButton *cancel_, *close_;
    QTimer fade_, patience_;
    QString line_;
    QStringList links_;
    bool is_trouble_ = false;
    int done_ = 0;
    int of_ = 0;

    void fit();
};

}  // namespace nb
