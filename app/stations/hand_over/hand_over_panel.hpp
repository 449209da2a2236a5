// How an order is set up: which results, which frames, what of them, where the travel goes, how many keys, which
// formats, and under which names.
#pragma once
#include <QWidget>
#include <functional>
#include <vector>

#include "app/work/hand_over_desk.hpp"
#include "app/work/playback.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QSpinBox;
class QToolButton;

namespace nb {

class HandOverPanel : public QWidget {
    Q_OBJECT

  public:
    HandOverPanel(Workspace& workspace, Playback& playback, HandOverDesk& desk, QWidget* parent = nullptr);

  private:
    using Edit = std::function<void(HandOverOrder&)>;
    Workspace& workspace_;
    Playback& playback_;
    HandOverDesk& desk_;
    bool is_filling_ = false;
    int topics_ = 0;
    std::vector<std::function<void(const HandOverOrder&)>> fill_;  ///< each field shows the order

    QLabel *results_, *example_;
    QComboBox* kept_;
    QToolButton *keep_, *this_pair_;
    QPushButton *run_, *page_;
    QToolButton* stop_;
    QProgressBar* progress_;

    void refresh();
    QCheckBox* tick(const QString& word, const QString& tip, bool HandOverOrder::*value);
    QCheckBox* tick(const QString& word, const QString& tip,
                    const std::function<bool(const HandOverOrder&)>& is,
                    const std::function<void(HandOverOrder&, bool)>& set);
    QDoubleSpinBox* number(const QString& name, const QString& tip, double low, double high, int decimals,
                           const QString& unit, const std::function<double(const HandOverOrder&)>& is,
                           const std::function<void(HandOverOrder&, double)>& set);
    QComboBox* choice(const QString& name, const QString& tip, const QStringList& words,
                      const std::function<int(const HandOverOrder&)>& is,
                      const std::function<void(HandOverOrder&, int)>& set);
    QLineEdit* text(const QString& name, const QString& tip, std::string HandOverOrder::*value);
    void edit(int topic, const Edit& edit);
};

}  // namespace nb
