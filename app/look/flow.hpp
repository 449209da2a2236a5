// A row that goes on in a second line where it is narrow: words on buttons are never cut. What can grow takes
// what is left of its line; a widget whose width is "ignored" shows when there is room for all of it, else not.
#pragma once
#include <QLayout>
#include <vector>

namespace nb {

class Flow : public QLayout {
  public:
    explicit Flow(int spacing_px) { setSpacing(spacing_px); }
    ~Flow() override;
    /// Pushes what follows to the right of its line.
    void add_gap();

    void addItem(QLayoutItem* item) override { items_.push_back(item); }
    int count() const override { return int(items_.size()); }
    QLayoutItem* itemAt(int index) const override;
    QLayoutItem* takeAt(int index) override;
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override { return lay_out(QRect(0, 0, width, 0), false); }
    QSize minimumSize() const override;
    QSize sizeHint() const override;
    void setGeometry(const QRect& rect) override;

  private:
    std::vector<QLayoutItem*> items_;

    /// Returns the height it takes.
    int lay_out(const QRect& rect, bool is_set) const;
    void set_line(const std::vector<QLayoutItem*>& line, const QRect& rect) const;
};

}  // namespace nb
