// Ctrl+K: finds any command, bone, role, character or take by typing a part of its name.
#pragma once
#include <QDialog>
#include <functional>
#include <vector>

class QLineEdit;
class QListWidget;

namespace nb {

struct Findable {
    QString kind;  ///< "command", "bone", "role", "character", "take"
    QString name;
    QString detail;  ///< shortcut, or where it belongs
    std::function<void()> go;
};

class Finder : public QDialog {
    Q_OBJECT

  public:
    Finder(std::vector<Findable> all, QWidget* parent);
    QLineEdit* field() const { return field_; }
    QListWidget* list() const { return list_; }

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    std::vector<Findable> all_;
    QLineEdit* field_;
    QListWidget* list_;

    void search(const QString& text);
    void take_current();
};

}  // namespace nb
