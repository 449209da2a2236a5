// What desks share that work on documents kept with the library by their names: orders, plans of clips. Knows no widgets.
#pragma once
#include <QObject>
#include <QString>
#include <functional>
#include <string>
#include <vector>

#include "app/work/jobs.hpp"
#include "app/work/workspace.hpp"
#include "core/library/library.hpp"

class QUndoStack;

namespace nb {

class LibraryDesk : public QObject {
    Q_OBJECT

  public:
    /// Until what runs is over (tests).
    void wait() { jobs_.wait(); }

  signals:
    void changed();  ///< what is in hand, or what is kept
    void said(const QString& line);
    void failed(const QString& line);

  protected:
    LibraryDesk(Workspace& workspace, QUndoStack& undo, QObject* parent)
        : QObject(parent), workspace_(workspace), undo_(undo) {}

    Workspace& workspace_;
    QUndoStack& undo_;
    Jobs jobs_;

    /// As far as documents go by it: its folder.
    Library library() const;
    /// True once for each library that is opened.
    bool is_another_library();
    /// What could not be read.
    void tell(const std::vector<std::string>& troubles);
    /// Written where `place` says; `done` is said then, `without` when there is no library.
    void keep_text(const std::function<std::string()>& place, const std::string& text, const QString& done,
                   const QString& without);

  private:
    QString looked_at_;  ///< the library's folder
};

}  // namespace nb
