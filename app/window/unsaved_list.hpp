// What is changed and not saved: whose, what of it, where it goes; each is saved alone or all together.
#pragma once
#include <QFrame>

#include "app/work/workspace.hpp"

class QVBoxLayout;

namespace nb {

class UnsavedList : public QFrame {
    Q_OBJECT

  public:
    explicit UnsavedList(Workspace& workspace, QWidget* parent = nullptr);

  private:
    Workspace& workspace_;
    QVBoxLayout* rows_;
    bool is_stale_ = false;

    void refresh();
    void refresh_later();
    QWidget* row(const QString& name, const QString& what, const QString& where, const QString& action,
                 const std::function<void()>& act);
};

}  // namespace nb
