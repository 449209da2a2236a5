// Rows of a word and its fields, for panels.
#pragma once
#include <QGridLayout>
#include <QWidget>
#include <vector>

namespace nb {

class FieldsForm : public QWidget {
  public:
    explicit FieldsForm(QWidget* parent);
    /// Several fields stand beside each other and wrap; one is as wide as there is room.
    void add_row(const QString& word, const std::vector<QWidget*>& fields);

  private:
    QGridLayout* grid_;
};

}  // namespace nb
