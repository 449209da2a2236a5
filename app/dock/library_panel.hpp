// The library: characters side by side on one scale of heights, takes below. A click takes one up, a drag
// onto the stage too.
#pragma once
#include <QTimer>
#include <QWidget>

#include "app/dock/line_up.hpp"
#include "app/work/character_desk.hpp"
#include "app/work/workspace.hpp"

class QLabel;
class QLineEdit;
class QListView;
class QListWidget;
class QMenu;
class QPushButton;
class QStackedWidget;

namespace nb {

class SetUpList;
class TakePreview;
class TakesModel;

class LibraryPanel : public QWidget {
    Q_OBJECT

  public:
    LibraryPanel(Workspace& workspace, CharacterDesk& characters, QWidget* parent = nullptr);
    /// What can be done with a character or take.
    QMenu* menu_of(bool is_character, int index);
    LineUp* line_up() const { return line_up_; }
    QLineEdit* search() const { return search_; }
    QListView* takes() const { return takes_; }
    TakesModel& takes_model() const { return *takes_model_; }
    QListWidget* scenes() const { return scenes_; }
    /// A field over a character's or take's name; Enter keeps what is typed.
    void start_rename(bool is_character, int index);
    QLineEdit* rename_field() const { return rename_; }
    /// Filters for takes, as they are put into the search.
    QMenu* filter_menu();
    TakePreview* preview() const { return preview_; }
    SetUpList* set_ups() const { return set_ups_; }
    /// The list of set-ups in the place of what is open.
    void show_set_ups(bool on);
    /// Fields for tags, notes and terms below the takes; Enter keeps what is typed.
    void start_words(bool is_character, int index);

  signals:
    void rename_wanted(bool is_character, int index, const QString& name);
    void words_wanted(bool is_character, int index, const ItemWords& words);
    void remove_wanted(bool is_character, int index);
    void add_wanted(bool is_character, int index);
    void library_wanted(bool is_new);
    void coverage_wanted();
    void newer_wanted(int character);
    void template_wanted(int character, bool to_write);

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    Workspace& workspace_;
    CharacterDesk& characters_;
    QLabel* heading_;
    QPushButton* add_;
    QLineEdit* search_;
    QLineEdit* rename_ = nullptr;
    QWidget* words_form_;
    QLabel* words_name_;
    QLineEdit *tags_, *notes_, *terms_;
    QString words_of_;  ///< the path of what they are of
    bool words_of_character_ = false;
    LineUp* line_up_;
    TakesModel* takes_model_;
    QListView* takes_;
    QLabel *takes_heading_, *beside_heading_;
    QStackedWidget* beside_;  ///< what is open, the set-ups, or the take under the pointer
    QWidget* open_list_;
    SetUpList* set_ups_;
    TakePreview* preview_;
    QPushButton* set_ups_switch_;
    QTimer hover_;
    int hovered_ = -1;
    QLabel* scenes_heading_;
    QListWidget* scenes_;

    QWidget* make_words_form();
    QPushButton* small_button(const QString& text, const QString& tip);
    QWidget* make_beside();
    void put_filter(const char* key, const QString& value);
    void hover(int take);
    void show_beside();
    void keep_words();
    void refresh_scenes();
    void refresh();
    void add_character_actions(QMenu* menu, int index);
    void show_menu(bool is_character, int index, const QPoint& global);
    /// What is in use and stands beside the library: (is a character, index); index -1 for none.
    std::pair<bool, int> outsider() const;
};

}  // namespace nb
