// The order in hand in the window: edited, kept with the library, listed file by file, carried out. Knows no widgets.
#pragma once
#include <QString>
#include <QTimer>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <vector>

#include "app/work/library_desk.hpp"
#include "core/library/hand_over.hpp"

namespace nb {

class HandOverDesk : public LibraryDesk {
    Q_OBJECT

  public:
    HandOverDesk(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);
    ~HandOverDesk() override;

    const HandOverOrder& order() const { return order_; }
    /// Changes what `edit` changes, to be undone; changes of the same `topic` in a row are one.
    void change(const QString& text, int topic, const std::function<void(HandOverOrder&)>& edit);

    // What is in it.
    void add_pairs(const std::vector<OrderedPair>& pairs);
    void remove_pairs(const std::vector<OrderedPair>& pairs);
    /// Every take of the library that goes with it, on the shown target; the shown take on every character; all.
    enum class Many { takes, characters, all };
    void add_many(Many many);

    // Kept with the library.
    const std::vector<KeptOrder>& kept() const { return kept_; }
    void take_up(int kept);
    void keep();
    bool is_as_kept() const;

    // The files to be, as far as they are known.
    const std::vector<HandOverRow>& rows() const { return rows_; }
    bool is_planning() const { return is_planning_; }
    int to_write() const;
    QString folder() const;

    void hand_over();
    bool is_running() const { return running_ != nullptr; }
    void cancel();
    /// What became of it in the last run: a row of the report; null before.
    const Json* outcome(const HandOverRow& row) const;
    QString report_page() const { return report_page_; }
    /// Files of the folder's last report of this order that are no longer up to date.
    const std::vector<StaleRow>& stale() const { return stale_; }

  signals:
    void planned();                                          ///< rows
    void progressed(int done, int of, const QString& name);  ///< of = 0: over

  private:
    HandOverOrder order_;
    std::vector<KeptOrder> kept_;
    std::vector<HandOverRow> rows_;
    std::vector<StaleRow> stale_;
    std::shared_ptr<LibraryFiles> files_;
    std::shared_ptr<std::mutex> files_lock_ = std::make_shared<std::mutex>();
    Cancelled planning_, running_;
    QTimer plan_soon_;
    bool is_planning_ = false;
    Json outcome_;
    QString report_page_;

    void set_order(const HandOverOrder& order);
    void plan();
    void look_at_library();
    std::string report_path() const;
    void keep_draft() const;
    bool take_draft();
};

}  // namespace nb
