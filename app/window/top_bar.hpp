// What stands at the top: the sentence, the state line under it, and buttons for commands of the window.
#pragma once
#include <QToolButton>
#include <map>

#include "app/work/workspace.hpp"

namespace nb {

class SentenceBar;
class StateLine;

class TopBar : public QWidget {
    Q_OBJECT

  public:
    /// The buttons run the window's commands, which must be there: `command` finds them by name.
    TopBar(Workspace& workspace, const std::function<QAction*(const QString&)>& command, QWidget* parent);
    SentenceBar& sentence() { return *sentence_; }
    StateLine& state() { return *state_; }
    QToolButton& button(const QString& command) const { return *buttons_.at(command); }
    void refresh_icons();

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    Workspace& workspace_;
    SentenceBar* sentence_;
    StateLine* state_;
    std::map<QString, QToolButton*> buttons_;

    void refresh_unsaved();
    void fit();
};

}  // namespace nb
