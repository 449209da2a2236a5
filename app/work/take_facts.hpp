// What documents say of the library's takes, read in the background: for lists and for search. Knows no widgets.
#pragma once
#include <QHash>
#include <QObject>
#include <QString>
#include <QStringList>

#include "app/work/jobs.hpp"
#include "app/work/loaded.hpp"
#include "core/batch/inputs.hpp"

namespace nb {

/// Of a take or character.
struct ItemFacts {
    FileStamp stamp;  ///< of the document they were read from
    QString body;     ///< takes: what it was captured on
    double seconds = 0.0;
    QStringList tags;
    QString notes;
    /// Whether each word of `search` is in the name or in one of these.
    bool has(const QString& name, const QString& search) const;
};

class TakeFacts : public QObject {
    Q_OBJECT

  public:
    explicit TakeFacts(QObject* parent = nullptr);
    ~TakeFacts() override;
    /// What is known by now; empty before it was read.
    const ItemFacts& of(const Choice& choice) const;
    /// Reads what is new or has changed of these.
    void follow(const std::vector<Choice>& choices);
    void wait() { jobs_.wait(); }

  signals:
    void changed();

  private:
    QHash<QString, ItemFacts> facts_;  ///< by document
    Jobs jobs_;
    Cancelled reading_;
};

}  // namespace nb
