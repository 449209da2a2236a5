// The station Chains: what is set for the chosen chain, how runs are proposed, and what to expect of the pair.
#pragma once
#include <QWidget>
#include <array>

#include "app/stage/stage_view.hpp"
#include "app/work/chain_edits.hpp"
#include "core/forecast/bone_map.hpp"

class QCheckBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace nb {

class ChainForm;
class ChainsSheet;

class ChainsPanel : public QWidget {
    Q_OBJECT

  public:
    ChainsPanel(Workspace& workspace, StageView& stage, ChainsSheet& sheet, ChainEdits& edits,
                QWidget* parent = nullptr);
    ChainForm& form() { return *form_; }
    const BoneMap& map() const { return map_; }
    /// Sets or takes away a matched end by hand.
    void move_tick(const QString& chain, int target_bone, int source_bone);
    /// Proposes how runs are driven, from the evidence that is ticked.
    void propose(bool only_empty);
    /// Chains that wait for a person (core/chain/match.hpp).
    int open_points() const;
    void refresh_look();

  signals:
    void said(const QString& line);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    Workspace& workspace_;
    StageView& stage_;
    ChainsSheet& sheet_;
    ChainEdits& edits_;
    BoneMap map_;
    std::vector<Expectation> expected_;
    bool is_whole_ = false;  ///< all that is to be expected is shown
    bool is_stale_ = true;
    QLabel *title_, *about_, *expect_, *cover_;
    ChainForm* form_;
    std::array<QCheckBox*, 3> trusted_{};  ///< names, place, counts
    QPushButton *withdraw_, *withdraw_all_, *confirm_, *unconfirmed_;

    void build_proposals(QVBoxLayout& column);
    void follow();
    void refresh();
    void refresh_chosen();
    void refresh_expected();
    void choose(const QString& chain);
    std::string chain() const;
    const MatchedChain* matched_chain(const std::string& name) const;
};

}  // namespace nb
