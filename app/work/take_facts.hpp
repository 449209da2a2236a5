// What is known of the library's takes, read in the background: what documents say, and when it is asked for, what happens in
// them and on whom they were tried. For lists and for search. Knows no widgets.
#pragma once
#include <QHash>
#include <QObject>
#include <QString>
#include <QStringList>

#include "app/work/jobs.hpp"
#include "app/work/loaded.hpp"
#include "core/batch/inputs.hpp"
#include "core/batch/take_query.hpp"

namespace nb {

/// Of a take or character.
struct ItemFacts {
    FileStamp stamp;  ///< of the document they were read from
    QString body;     ///< takes: what it was captured on
    double seconds = 0.0;
    QStringList tags;
    QString notes, terms;
};

class TakeFacts : public QObject {
    Q_OBJECT

  public:
    explicit TakeFacts(QObject* parent = nullptr);
    ~TakeFacts() override;
    /// What is known by now; empty before it was read.
    const ItemFacts& of(const Choice& choice) const;
    /// Reads what is new or has changed of these.
    void follow(const std::vector<Choice>& choices, const QString& library_folder);
    /// What is asked of them; reads what that needs beyond documents.
    void ask(const TakeQuery& query, const std::vector<Choice>& choices, const QString& library_folder);
    /// By what is known now.
    bool fits(const Choice& choice, const TakeQuery& query) const;
    /// Null when it is not known.
    const TakeAccount* account(const Choice& choice) const;
    void wait() { jobs_.wait(); }

  signals:
    void changed();
    void progressed(const QString& what, int done, int of);

  private:
    struct Trials {
        std::vector<std::string> tried, outside;
    };
    /// All that is read at once.
    struct Known {
        QHash<QString, ItemFacts> facts;       ///< by document
        QHash<QString, TakeAccount> accounts;  ///< by entry
        QHash<QString, Trials> trials;         ///< by entry
    };
    Known known_;
    bool wants_accounts_ = false, wants_trials_ = false;
    Jobs jobs_;
    Cancelled reading_;

    void read(const std::vector<Choice>& choices, const QString& library_folder);
};

}  // namespace nb
