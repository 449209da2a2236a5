// The rails: which bone plays which part of the target, or of the source. A row a chain, the body at the
// left, the tip at the right; two rails for a pair of limbs, left above right. A rung carries the bone's name
// and, as a short bar, how sure it is; a notch is a gap. A click picks a rung; a gap or an unsure one waits
// for a bone then, a sure one only after a double click, so that nothing settled changes by accident. A click
// on the name of a limb, or of a finger above its rungs, picks the whole chain: one bone then fills it. On
// request (B) the rails of the hands alone are shown, a rung a link.
#pragma once
#include <QWidget>

#include "app/look/drawing.hpp"
#include "app/work/workspace.hpp"

namespace nb {

class RailsView : public Drawing {
    Q_OBJECT

  public:
    explicit RailsView(Workspace& workspace, QWidget* parent = nullptr);
    /// Whose rails they are.
    bool is_of_target() const { return is_of_target_; }
    void show_body(bool of_target);
    LoadedPtr body() const { return workspace_.body(is_of_target_); }
    QString picked() const { return picked_; }
    /// The chain that is picked as a whole ("arm.left", "index.right"); empty: a rung, or nothing.
    QString picked_chain() const { return picked_chain_; }
    void pick_chain(const QString& chain);
    /// Where the name of a chain is drawn, for a click; null when it is not.
    QRectF place_of_chain(const QString& chain) const;
    /// True while the next bone that is picked is given to the picked rung.
    bool is_waiting() const { return is_waiting_; }
    void pick(const QString& role, bool wait);
    /// The hands' rails, a rung a bone of each finger, instead of the body's.
    bool shows_hands() const { return shows_hands_; }
    void show_hands(bool on);
    /// The next rung without a bone that the transfer needs, or an unsure one; waits for a bone. False: none
    /// is left.
    bool pick_next_open();
    /// Where a rung is drawn; null when it is not.
    QRectF place_of(const QString& role) const;
    QSize sizeHint() const override { return scaled(QSize{600, 250}); }

  signals:
    void rung_picked(const QString& role);
    void body_shown(bool of_target);
    void taken_away(const QString& role);
    /// What is proposed is right: the picked role, or all of the picked chain.
    void confirmed(const QString& role, const QString& chain);
    void hands_shown(bool on);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Rail {
        QString name, side;
        std::vector<QString> roles;
        QString chain;                ///< the whole rail's; empty: each rung has one of its own
        std::vector<QString> chains;  ///< a rung's, for fingers
    };
    Workspace& workspace_;
    QString picked_, picked_chain_;
    bool is_waiting_ = false;
    bool is_of_target_ = true;
    bool shows_hands_ = false;

    std::vector<Rail> rails() const;
    std::vector<Rail> hand_rails() const;
    QString count_of(const std::vector<Rail>& all, size_t rail) const;
    QStringList pieces_of(const std::string& role) const;
    QRectF rung(const std::vector<Rail>& all, size_t rail, size_t place) const;
    QString role_at(const QPointF& at) const;
};

/// "thigh" for thigh.left, "spine 2", "upper arm".
QString spoken_role(const std::string& role);
/// The same with its side: "upper arm L".
QString side_and_role(const std::string& role);

}  // namespace nb
