// The characters of the library side by side on one floor, to one scale, as portraits.
#pragma once
#include <QDateTime>
#include <QImage>
#include <QWidget>
#include <atomic>
#include <map>
#include <memory>

#include "app/look/drawing.hpp"
#include "app/work/workspace.hpp"

namespace nb {

/// The line-up: portraits on one floor before a ruler in centimetres.
class LineUp : public Drawing {
    Q_OBJECT

  public:
    explicit LineUp(Workspace& workspace, QWidget* parent = nullptr);
    void set_filter(const QString& text);
    /// Indices of the workspace's targets that are shown, from the left.
    std::vector<int> shown() const;
    int index_at(const QPointF& at) const;
    QPoint place_of(int index) const;  ///< a point on that character; null when it is not shown
    bool has_portrait(int index) const;
    QSize sizeHint() const override { return scaled(QSize{300, 284}); }

  signals:
    void menu_wanted(int index, const QPoint& global);

  protected:
    void contextMenuEvent(QContextMenuEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Portrait {
        QImage image;
        double height_cm = 0.0;
        QString trouble;
    };
    Workspace& workspace_;
    QString filter_;
    std::map<QString, Portrait> portraits_;  ///< by path of the rig
    std::map<QString, QDateTime> asked_;     ///< when what it is made from was written
    QThreadPool pool_;
    std::shared_ptr<std::atomic<bool>> cancelled_ = std::make_shared<std::atomic<bool>>(false);
    QPointF pressed_at_;
    int pressed_ = -1;
    int first_ = 0;

    static Portrait find_portrait(const Choice& choice);
    void ask_for_portraits();
    QRectF column(int position) const;
    void paint_families(QPainter& painter, const std::vector<int>& all) const;

  public:
    ~LineUp() override;
};

}  // namespace nb
