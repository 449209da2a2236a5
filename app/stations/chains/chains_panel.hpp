// The station Chains: what is set for the chosen chain, what to expect of the pair, and the bone map.
#pragma once
#include <QWidget>

#include "app/stage/stage_view.hpp"
#include "app/work/workspace.hpp"
#include "core/forecast/bone_map.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;
class QUndoStack;
class QVBoxLayout;

namespace nb {

class ChainRuler;

class ChainsPanel : public QWidget {
    Q_OBJECT

  public:
    ChainsPanel(Workspace& workspace, StageView& stage, ChainRuler& ruler, QUndoStack& undo,
                QWidget* parent = nullptr);
    QTableWidget& map_table() { return *table_; }
    const BoneMap& map() const { return map_; }
    /// Writes the map as CSV.
    void write_map(const QString& path);
    /// Sets or takes away a matched end by hand.
    void move_tick(const QString& chain, int target_bone, int source_bone);
    /// Lets a run start or end at a bone of a body; bone -1: all of it again.
    void set_end(const QString& chain, bool of_target, int bone, bool is_first);
    /// The chosen chain, or all, as the body plan has it: what is set on any level is taken back.
    void withdraw(bool all);
    /// Proposes how runs are driven, from the evidence that is ticked; takes back what nobody confirmed.
    void propose(bool only_empty);
    void withdraw_unconfirmed();
    void confirm();
    /// On which level changes are kept.
    SettingLevel level() const;
    void set_level(SettingLevel level);
    int open_points() const;

  signals:
    void said(const QString& line);
    void failed(const QString& line);

  private:
    Workspace& workspace_;
    StageView& stage_;
    ChainRuler& ruler_;
    QUndoStack& undo_;
    BoneMap map_;
    std::vector<Expectation> expected_;
    QLabel *title_, *about_, *expect_, *cover_;
    /// A row of the form: its name, its field, and which level speaks.
    struct Row {
        QLabel* name = nullptr;
        QWidget* field = nullptr;
        QLabel* mark = nullptr;
    };
    /// A number of the form: which setting, and what a unit of the field is worth.
    struct Number {
        std::optional<double> ChainSettings::*setting;
        double unit;
        QDoubleSpinBox* field;
    };
    QCheckBox* left_out_;
    QComboBox *kept_, *carry_, *driver_;
    std::vector<Row> rows_;  ///< driven by, what crosses, then the numbers
    std::vector<Number> numbers_;
    std::array<QCheckBox*, 3> trusted_{};  ///< names, place, counts
    QPushButton *withdraw_, *withdraw_all_, *confirm_, *unconfirmed_;
    QLineEdit* search_;
    QTableWidget* table_;

    void build_form(QVBoxLayout& column);
    void build_proposals(QVBoxLayout& column);
    Row& add_row(QGridLayout& grid, const QString& name, QWidget* field);
    void add_number(QGridLayout& grid, const QString& name, const QString& tip,
                    std::optional<double> ChainSettings::*setting, double unit, double least, double most,
                    const QString& suffix);
    /// Which level speaks for a setting of the chosen chain; plan when none does.
    template <typename Field>
    SettingLevel speaks(Field field) const;
    template <typename Field>
    void mark(Row& row, Field field);
    void refresh();
    void refresh_chosen();
    void refresh_table();
    std::string chain() const;
    /// Changes what the chosen chain has on a level. What the levels below say anyway is not kept.
    void change(const QString& text, int topic, SettingLevel level,
                const std::function<void(ChainSettings&)>& edit);
    /// `level`, or the pair's where a setting needs both bodies.
    SettingLevel of_pair() const;
    void push(SettingLevel level, const std::string& chain, const ChainSettings& set, const QString& text,
              int topic);
};

}  // namespace nb
