// The sentence at the top: which take, moved by whom, carried onto whom; in a scene a clause for each further cast. Each underlined word is changed by a
// click; on the last word the arrow keys step through the targets.
#pragma once
#include <QPushButton>
#include <QWidget>

#include "app/work/workspace.hpp"

class QLabel;

namespace nb {

class SentenceBar : public QWidget {
    Q_OBJECT

  public:
    explicit SentenceBar(Workspace& workspace, QWidget* parent = nullptr);
    QString sentence() const;  ///< as it reads
    QPushButton* take_word() const { return take_; }
    QPushButton* source_word() const { return source_; }
    QPushButton* target_word() const { return target_; }
    /// Of further casts: a click takes one in hand.
    const std::vector<QPushButton*>& cast_words() const { return casts_; }
    /// In the largest letters with which it is no wider than this, px; names are cut only when the smallest
    /// are too large.
    void fit(int room_px);
    /// How wide it is in its largest letters, px.
    int whole_width() const;

  signals:
    void changed();
    void open_take_wanted();
    void open_target_wanted();
    void cast_wanted(int cast);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    Workspace& workspace_;
    QPushButton *take_, *source_, *target_;
    QLabel *moved_by_, *carried_onto_, *stop_;
    QString take_name_, source_name_, target_name_;  ///< uncut
    std::vector<QPushButton*> casts_;
    std::vector<QString> clauses_;  ///< "taker onto the ferrier"
    QWidget* rest_;                 ///< what stands behind the target

    void refresh();
    void refresh_casts();
    int width_at(int px, int most_of_a_name = -1) const;
    void show_takes();
    void show_source();
    void show_targets();
};

}  // namespace nb
