// The takes of the library and those beside it, as a list: only what is seen of it is put together.
#pragma once
#include <QAbstractListModel>

#include "app/work/take_facts.hpp"
#include "app/work/workspace.hpp"

namespace nb {

class TakesModel : public QAbstractListModel {
    Q_OBJECT

  public:
    explicit TakesModel(Workspace& workspace, QObject* parent = nullptr);
    /// Those that fit words and filters (core/batch/take_query.hpp).
    void set_search(const QString& text);
    const TakeQuery& query() const { return query_; }
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    QMimeData* mimeData(const QModelIndexList& indexes) const override;
    /// The place of a row in the workspace's list, and back; -1: it is not shown.
    int take_at(const QModelIndex& index) const;
    QModelIndex row_of(int take) const;
    TakeFacts& facts() { return facts_; }

  private:
    Workspace& workspace_;
    TakeFacts facts_;
    TakeQuery query_{{}};
    bool is_asked_ = false;
    std::vector<int> rows_;

    void refresh();
};

}  // namespace nb
