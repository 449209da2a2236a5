// The line under the sentence: from which rests, with which passes, and whether what was written last is
// still what is shown. Its words lead to where each is set.
#pragma once
#include <QLabel>
#include <QTimer>

#include "app/work/workspace.hpp"
#include "app/work/written.hpp"

namespace nb {

class StateLine : public QLabel {
    Q_OBJECT

  public:
    explicit StateLine(Workspace& workspace, QWidget* parent = nullptr);
    /// As it reads, without links.
    QString words() const;

  signals:
    void wanted(const QString& station);  ///< "rest", "transfer"; "export" for the file

  private:
    Workspace& workspace_;
    QTimer soon_;
    std::shared_ptr<const TransferResult> hashed_;
    std::uint64_t motion_ = 0;  ///< of `hashed_`

    void refresh();
    QString rest_of(bool of_target) const;
    QString written(const std::optional<WrittenFile>& file);
};

}  // namespace nb
