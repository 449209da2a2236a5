// The bone map across the sheet: every bone of the target, what moves it, how, why and how surely, on which
// level that is kept; every bone of the source nobody takes. Counts filter it, words search it, a row offers
// what can be chosen for it.
#pragma once
#include <QWidget>
#include <map>
#include <optional>
#include <vector>

#include "app/work/chain_edits.hpp"
#include "core/forecast/bone_map.hpp"

class QLabel;
class QLineEdit;
class QMenu;
class QTableWidget;
class QToolButton;

namespace nb {

class MapPage : public QWidget {
    Q_OBJECT

  public:
    MapPage(Workspace& workspace, ChainEdits& edits, QWidget* parent = nullptr);
    void show_map(const BoneMap& map, const std::vector<MatchedChain>& chains);
    QTableWidget& table() { return *table_; }
    /// What can be chosen for a row; the caller runs it.
    std::unique_ptr<QMenu> choices(int row);
    /// Writes the map as CSV.
    void write(const QString& path);
    void refresh_look();

  signals:
    void said(const QString& line);
    void failed(const QString& line);
    void bone_chosen(bool of_target, int joint, const QString& chain);
    /// The roles of a bone are given in another station.
    void role_wanted(const QString& role);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    /// What the counts at the top stand for.
    enum class Kind { all, alone, between, twist, rest, left_out, lost, given_up };
    /// Bones of the source whose motion nobody takes, missed or not.
    static bool is_untaken(Kind kind) { return kind == Kind::lost || kind == Kind::given_up; }
    struct Line {
        int joint = -1;
        bool of_target = true;
        Kind kind = Kind::all;
        std::string role, chain;
        std::array<QString, 7> cells;  ///< bone, role, chain, moved by, sure, why, kept with
    };
    Workspace& workspace_;
    ChainEdits& edits_;
    BoneMap map_;
    std::vector<MatchedChain> chains_;
    std::vector<Line> lines_;
    std::vector<int> shown_;  ///< lines, as the table has them
    bool is_stale_ = false;   ///< the table, while nobody sees it
    Kind kind_ = Kind::all;
    std::map<Kind, QToolButton*> counts_;
    QLineEdit* search_;
    QTableWidget* table_;

    void make_lines();
    void refresh_table();
    const MatchedChain* chain(const std::string& name) const;
    QString kept_with(const std::string& chain) const;
    void add_matches(QMenu& menu, const MatchedChain& chain, int joint);
    void add_drivers(QMenu& menu, const std::string& chain);
    void add_rules(QMenu& menu, const BoneMapRow& row);
    void add_losses(QMenu& menu, const Line& line);
    /// Bones of the source that have no role and hang where one of the target does, by nearest role above.
    std::vector<std::string> helpers_like(int target_joint) const;
    void open_choices(int row);
};

}  // namespace nb
