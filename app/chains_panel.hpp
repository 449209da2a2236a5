// The station Chains: what is set for the chosen chain, what to expect of the pair, and the bone map.
#pragma once
#include <QWidget>

#include "app/stage_view.hpp"
#include "app/workspace.hpp"
#include "core/transfer/bone_map.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;
class QUndoStack;

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
    /// The chosen chain, or all, as the program proposes it.
    void withdraw(bool all);
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
    QLabel *title_, *about_, *expect_, *cover_, *level_;
    std::array<QLabel*, 5> field_labels_{};
    QCheckBox* left_out_;
    QComboBox *carry_, *driver_;
    QDoubleSpinBox *share_, *soften_;
    QPushButton *withdraw_, *withdraw_all_;
    QLineEdit* search_;
    QTableWidget* table_;

    void refresh();
    void refresh_chosen();
    void refresh_table();
    std::string chain() const;
    void change(const QString& text, int topic,
                const std::function<void(PairingSettings&, ChainSettings&)>& edit);
};

}  // namespace nb
