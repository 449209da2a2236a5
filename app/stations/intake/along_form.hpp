// What goes along with a take: fingers or face from files of their own, the sound, when it starts on the clock of the shoot.
#pragma once
#include <QWidget>
#include <functional>

#include "core/rig/load_options.hpp"

class QComboBox;
class QDoubleSpinBox;
class QVBoxLayout;

namespace nb {

class AlongForm : public QWidget {
    Q_OBJECT

  public:
    explicit AlongForm(QWidget* parent = nullptr);
    /// Of a take whose file is `path`.
    void show_take(const std::string& path, const LoadOptions& options);
    void add_part(const QString& file);
    void set_sound(const QString& file);

  signals:
    void changed(const nb::LoadOptions& options, const QString& text);

  private:
    std::string path_;
    LoadOptions options_;
    bool is_filling_ = false;
    QWidget* rows_box_ = nullptr;
    QVBoxLayout* rows_;
    QDoubleSpinBox* starts_at_;

    void change(const QString& text, const std::function<void(LoadOptions&)>& edit);
    void fill();
    QWidget* row_of(const QString& file, QWidget* first, double offset_s, const QString& name,
                    const std::function<void(LoadOptions&, double)>& set_offset,
                    const std::function<void(LoadOptions&)>& take_out);
    QDoubleSpinBox* seconds(const QString& name, const QString& tip, double value);
};

}  // namespace nb
