// Words over the stage: degrees of arcs and hoops, letters of axes, names of bones. Lets the mouse through.
#pragma once
#include <QPointF>
#include <QString>
#include <QWidget>
#include <utility>
#include <vector>

namespace nb {

class StageWords : public QWidget {
  public:
    explicit StageWords(QWidget* parent);
    /// Each about its place; where two would lie over each other the later one is left out.
    void show_words(const std::vector<std::pair<QPointF, QString>>& words);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::vector<std::pair<QRectF, QString>> words_;
};

}  // namespace nb
