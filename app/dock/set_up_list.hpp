// The library's set-ups by the names of both bodies. A click opens one: its target, and a take of its source.
#pragma once
#include <QListWidget>

#include "app/work/jobs.hpp"
#include "app/work/workspace.hpp"
#include "core/library/set_ups.hpp"

namespace nb {

class SetUpList : public QListWidget {
    Q_OBJECT

  public:
    explicit SetUpList(Workspace& workspace, QWidget* parent = nullptr);
    ~SetUpList() override;
    void set_filter(const QString& text);
    void wait() { jobs_.wait(); }

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    Workspace& workspace_;
    Jobs jobs_;
    Cancelled reading_;
    std::vector<SetUp> all_;
    QString filter_;

    void read();
    void refresh();
};

}  // namespace nb
