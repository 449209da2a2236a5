// Every place where the result falls short, and every frame somebody has marked, in one list: filtered by
// what was said of them, ordered by weight, frame or owner, stepped through, accepted or done with a note.
#pragma once
#include <QWidget>
#include <array>
#include <vector>

class QComboBox;
class QLayout;
class QLabel;
class QLineEdit;
class QTableWidget;
class QToolButton;

namespace nb {

class EventDesk;
class Playback;

class EventsPage : public QWidget {
    Q_OBJECT

  public:
    EventsPage(EventDesk& desk, Playback& playback, QWidget* parent = nullptr);
    QTableWidget& table() { return *table_; }
    /// Accepts the event in hand, or says that it is done, with what stands in the note; or opens it again.
    void accept() { judge(0); }
    void set_done() { judge(1); }
    void open_again() { judge(2); }
    /// Marks the shown frame with what stands in the note; marked already, it is one no more.
    void mark_frame();
    void refresh_look() { refresh(); }

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    enum class Kind { all, open, accepted, done, marked };
    EventDesk& desk_;
    Playback& playback_;
    /// A row: an event, or a marked frame.
    struct Line {
        int event = -1;
        int frame = 0;
        Kind kind = Kind::open;
        std::array<QString, 5> cells;  ///< frame, what, owner, size, said
    };
    std::vector<Line> lines_;  ///< as the table has them
    Kind kind_ = Kind::all;
    std::array<QToolButton*, 5> kinds_{};
    QComboBox* order_;
    QTableWidget* table_;
    QLabel* remedies_;
    QLineEdit* note_;
    std::array<QToolButton*, 3> verdicts_{};  ///< accept, done, open again
    QToolButton* mark_;
    bool is_stale_ = true;

    QLayout* make_head();
    QLayout* make_foot();
    void judge(int button);
    void follow();
    void refresh();
    void refresh_current();
};

}  // namespace nb
