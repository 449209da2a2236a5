// The chain ruler, the sheet of the station Chains: every chain of the target as a straightened bar below the
// one that drives it, to a common scale, joined by a ribbon for each source bone. A joint of the target can
// be dragged onto a joint of the source: their ends are matched then, and length decides between.
#pragma once
#include <QWidget>
#include <vector>

#include "app/look/drawing.hpp"
#include "core/chain/match.hpp"

namespace nb {

class ChainRuler : public Drawing {
    Q_OBJECT

  public:
    explicit ChainRuler(QWidget* parent = nullptr);

    struct Row {
        MatchedChain chain;
        QString carry;                          ///< what of it crosses, in a word or two
        std::vector<QString> S_names, T_names;  ///< of the bones, short
    };
    void set_rows(std::vector<Row> rows);
    const std::vector<Row>& rows() const { return rows_; }
    QString chosen() const { return chosen_; }
    void choose(const QString& chain);
    /// Where the far end of a bone is drawn; null while its row is scrolled away.
    QPointF end_of(const QString& chain, bool of_target, int bone) const;

  signals:
    void chain_chosen(const QString& chain);
    void bone_picked(bool of_target, int joint);
    /// The far end of a target bone was dropped on the far end of a source bone; -1: beside all, match no
    /// more.
    void tick_moved(const QString& chain, int target_bone, int source_bone);
    /// A run is to start or end at a bone of a body; with bone -1 it is to be whole again.
    void end_wanted(const QString& chain, bool of_target, int bone, bool is_first);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    std::vector<Row> rows_;
    QString chosen_;
    int first_ = 0;
    int drag_row_ = -1, drag_bone_ = -1;
    QPointF drag_at_;
    bool is_dragged_ = false;
    int walked_ = -1;  ///< the bone of the chosen chain that the arrows have come to

    int row_of(const QString& chain) const;
    int shown_rows() const;
    double px_per_m() const;
    QRectF bar_of(int row, bool of_target, int bone) const;
    double end_x(int row, bool of_target, int bone) const;
    /// The row at a point; -1 for none.
    int row_at(const QPointF& at) const;
    /// The bone of a row at a point: (of the target, index); -1 for none.
    std::pair<bool, int> bone_at(int row, const QPointF& at) const;
    /// The source bone whose end is near to a point of a row; -1 for none.
    int source_end_near(int row, const QPointF& at) const;
    void scroll_to(int first);
    bool walks_target(int row) const;
    void walk(int by);
    void shift_match(int by);
};

}  // namespace nb
