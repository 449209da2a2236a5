// What is set for the chosen chain, with the level that keeps it. After an edit the line below says where it
// went, and moves it: to this body, this pair, this take here.
#pragma once
#include <QWidget>
#include <array>
#include <vector>

#include "app/work/chain_edits.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QHBoxLayout;
class QLabel;
class QToolButton;

namespace nb {

class ChainForm : public QWidget {
    Q_OBJECT

  public:
    ChainForm(Workspace& workspace, ChainEdits& edits, QWidget* parent = nullptr);
    /// The chain as it is matched now; null when the target has none of the name.
    void show_chain(const std::string& chain, const MatchedChain* matched);
    /// The setting in hand: the one edited or looked at last.
    void take_in_hand(const ChainField& field);
    const ChainField* in_hand() const { return in_hand_; }
    /// Where the setting in hand is kept.
    SettingLevel level() const;
    void move_to(SettingLevel level);

  private:
    Workspace& workspace_;
    ChainEdits& edits_;
    std::string chain_;
    /// A row of the form: its name, its field, and which level speaks.
    struct Row {
        ChainField setting;
        QLabel* name = nullptr;
        QWidget* field = nullptr;
        QLabel* mark = nullptr;
    };
    /// A number of the form: which setting, and what a unit of the field is worth.
    struct Number {
        std::optional<double> ChainSettings::*setting;
        double unit;
        QDoubleSpinBox* field;
        size_t row;
    };
    QCheckBox* left_out_;
    QComboBox *carry_, *driver_;
    std::vector<Row> rows_;  ///< driven by, what crosses, then the numbers
    std::vector<Number> numbers_;
    QToolButton* may_touch_;
    size_t may_touch_row_ = 0;
    QCheckBox* folds_hand_;
    size_t folds_hand_row_ = 0;
    const ChainField* in_hand_ = nullptr;
    QLabel* kept_;
    std::array<QToolButton*, 3> levels_{};  ///< character, pairing, take
    QToolButton* back_;

    void add_row(QGridLayout& grid, const ChainField& setting, QWidget* field);
    void add_number(QGridLayout& grid, const QString& name, const QString& tip,
                    std::optional<double> ChainSettings::*setting, double unit, double least, double most,
                    const QString& suffix);
    QHBoxLayout* make_level_line();
    void connect_fields();
    void set_may_touch();
    bool lacks_hand() const;
    void refresh_numbers(const ChainSettings& now, bool is_run, bool is_limb);
    void refresh_marks();
    void refresh_level_line();
};

}  // namespace nb
