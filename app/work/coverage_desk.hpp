// Which take of the library works on which character, looked up in the background; what a person accepts of it; batches that
// are under way. Knows no widgets.
#pragma once
#include <QTimer>
#include <memory>
#include <mutex>
#include <vector>

#include "app/work/library_desk.hpp"
#include "core/batch/coverage.hpp"
#include "core/batch/runs.hpp"

namespace nb {

class CoverageDesk : public LibraryDesk {
    Q_OBJECT

  public:
    CoverageDesk(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);
    ~CoverageDesk() override;

    /// While it is shown it follows the ledger.
    void set_shown(bool on);
    const Coverage& table() const { return *table_; }
    std::shared_ptr<const Coverage> shared_table() const { return table_; }
    bool is_reading() const { return is_reading_; }
    bool has_library() const { return workspace_.has_library(); }

    static OrderedPair pair_at(const Coverage& table, size_t take, size_t character);
    /// What a cell says; of a stale one why is looked up in the background, `words_found` when it is there.
    QString words(size_t take, size_t character);
    /// A person's note on a pair that is accepted now; empty when it is not.
    QString note(const OrderedPair& pair) const;

    /// Good enough as it is, with a note; to be undone.
    void accept(size_t take, size_t character, const QString& note);
    void accept_no_more(size_t take, size_t character);

    /// Starts a batch in a program of its own, which goes on when this one ends.
    void try_all();
    void try_pair(const OrderedPair& pair);
    void do_order(const QString& path);
    const std::vector<KeptOrder>& orders() const { return orders_; }
    const std::vector<BatchState>& batches() const { return batches_; }
    void end_batch(const BatchState& batch);

    /// .csv, .html or .json.
    void write(const QString& path);

  signals:
    void table_changed();
    void words_found();
    void batches_changed();

  private:
    /// What the background works with, one at a time.
    struct Desk {
        std::mutex lock;
        Library library;
        std::unique_ptr<Ledger> ledger;
    };
    std::shared_ptr<Desk> desk_ = std::make_shared<Desk>();
    std::shared_ptr<const Coverage> table_ = std::make_shared<Coverage>();
    std::vector<std::pair<OrderedPair, Accepted>> accepted_;
    std::vector<KeptOrder> orders_;
    std::vector<BatchState> batches_;
    std::string batches_text_;
    Cancelled reading_, asking_;
    QTimer again_;
    bool is_reading_ = false, is_stale_ = true, is_shown_ = false;
    std::pair<size_t, size_t> asked_;
    QString asked_words_;

    void look();
    void look_at_batches();
    void forget();
    void start(const QStringList& arguments);
    void set_accepted(const OrderedPair& pair, const std::optional<Accepted>& accepted);
    std::optional<Accepted> accepted_of(const OrderedPair& pair) const;
};

}  // namespace nb
