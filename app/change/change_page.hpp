// What a change of characters would do, before it is done: a newer rig over the older, or which part of a family's
// characterization reaches whom. A page of the window.
#pragma once
#include <QWidget>

#include "app/look/drawing.hpp"
#include "app/work/character_desk.hpp"

class QCheckBox;
class QLabel;
class QListWidget;
class QToolButton;

namespace nb {

/// Two rigs at rest, from the front, the newer over the older; a notch at what is another.
class RigsDrawing : public Drawing {
    Q_OBJECT

  public:
    using Drawing::Drawing;
    void show(std::shared_ptr<const Renewal> renewal);
    /// The change that is pointed at; -1: none.
    void point_at(int change);
    /// Where a change is drawn; null when it has no place.
    QPointF place_of(int change) const;
    QSize sizeHint() const override { return scaled(QSize{420, 420}); }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::shared_ptr<const Renewal> renewal_;
    int pointed_ = -1;
    struct View;
    View view() const;
};

/// Members of a family by the parts of a characterization: what each takes, what it keeps of its own.
class MembersDrawing : public Drawing {
    Q_OBJECT

  public:
    explicit MembersDrawing(QWidget* parent = nullptr);
    void show(std::shared_ptr<const FamilyChange> change);
    int picked() const { return picked_; }
    void pick(int member);
    QRectF row(int member) const;
    QSize sizeHint() const override;

  signals:
    void member_picked(int member);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    std::shared_ptr<const FamilyChange> change_;
    int picked_ = 0;
};

class ChangePage : public QWidget {
    Q_OBJECT

  public:
    ChangePage(CharacterDesk& desk, QWidget* parent = nullptr);
    QListWidget* lines() const { return lines_; }
    RigsDrawing* rigs() const { return rigs_; }
    MembersDrawing* members() const { return members_; }
    QToolButton* take_in() const { return take_in_; }
    QToolButton* leave_it() const { return leave_it_; }

  private:
    CharacterDesk& desk_;
    QLabel *title_, *about_;
    RigsDrawing* rigs_;
    MembersDrawing* members_;
    QListWidget* lines_;
    QToolButton *take_in_, *leave_it_;
    QWidget* parts_row_;
    QCheckBox* parts_[4];

    void refresh();
    void tell_newer(const CharacterDesk::Looked& looked);
    void tell_members(const CharacterDesk::Looked& looked);
    void tell_member(int member);
    void add_heading(const QString& text);
    void add_line(const QString& text, int change = -1);
};

}  // namespace nb
