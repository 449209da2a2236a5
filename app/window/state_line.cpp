#include "app/window/state_line.hpp"

#include <QFileInfo>
#include <QTextDocument>
#include <algorithm>

#include "app/look/look.hpp"
#include "core/solve/passes.hpp"

namespace nb {

StateLine::StateLine(Workspace& workspace, QWidget* parent) : QLabel(parent), workspace_(workspace) {
    setTextFormat(Qt::RichText);
    setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(tr("state"));
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    connect(this, &QLabel::linkActivated, this, &StateLine::wanted);
    // Once for all that changes in a moment.
    soon_.setSingleShot(true);
    soon_.setInterval(60);
    connect(&soon_, &QTimer::timeout, this, &StateLine::refresh);
    const auto soon = [this] {
        if (!soon_.isActive()) soon_.start();
    };
    for (const auto signal :
         {&Workspace::source_changed, &Workspace::target_changed, &Workspace::settings_changed,
          &Workspace::rest_changed, &Workspace::result_changed, &Workspace::written_changed,
          &Workspace::limbering_changed, &Workspace::choices_changed})
        connect(&workspace_, signal, this, soon);
    refresh();
}

QString StateLine::words() const {
    QTextDocument document;
    document.setHtml(text());
    return document.toPlainText();
}

QString StateLine::rest_of(bool of_target) const {
    const LoadedPtr loaded = workspace_.body(of_target);
    if (!loaded || !loaded->file.character.rest.is_there()) return tr("none");
    const RestAlignment& rest = loaded->file.character.rest;
    const auto by_hand = std::count_if(rest.found.begin(), rest.found.end(), [](const auto& found) {
        return found.second.roll == RollSource::by_hand;
    });
    const QString name = QString::fromStdString(rest.name);
    return by_hand > 0 ? tr("%1, %n by hand", nullptr, int(by_hand)).arg(name) : name;
}

QString StateLine::written(const std::optional<WrittenFile>& file) {
    if (!file) return tr("not written yet");
    const QString name = QFileInfo(file->path).fileName();
    if (!QFileInfo::exists(file->path)) return tr("written as %1, which is gone").arg(name);
    const auto result = workspace_.finished();
    if (!result) return tr("written as %1").arg(name);
    if (result != hashed_) {
        hashed_ = result;
        motion_ = fingerprint(result->take);
    }
    return motion_ == file->motion ? tr("written as %1, still so").arg(name)
                                   : tr("changed since it was written as %1").arg(name);
}

void StateLine::refresh() {
    const bool has_pair = workspace_.source() && workspace_.target();
    if (!has_pair) {
        setText({});
        return;
    }
    QStringList left_out, asked_for;
    for (const PassRow& pass : pass_table) {
        const bool is_on = workspace_.settings().passes.*pass.is_on;
        if (is_on != Passes().*pass.is_on) (is_on ? asked_for : left_out) << QString::fromUtf8(pass.name);
    }
    const auto link = [](const QString& to, const QString& words) {
        return QString("<a href=\"%1\" style=\"color:%2; text-decoration:none\">%3</a>")
            .arg(to, look().dim.name(), words.toHtmlEscaped());
    };
    const QString rests = tr("rests: %1 and %2").arg(rest_of(false), rest_of(true));
    QStringList said;
    if (!left_out.isEmpty()) said << tr("without %1").arg(left_out.join(tr(" and ")));
    if (!asked_for.isEmpty()) said << tr("with %1").arg(asked_for.join(tr(" and ")));
    const QString passes = said.isEmpty() ? tr("the usual passes") : said.join(", ");
    const auto file = last_written(workspace_.pairing_key(), workspace_.take_key());
    QStringList parts{link("rest", rests), link("transfer", passes)};
    if (workspace_.is_limbering())
        parts << tr("the limbering take: nothing of it is kept");
    else
        parts << link("export", tr("live; %1").arg(written(file)));
    setText(QString("<span style=\"color:%1\">%2</span>")
                .arg(look().dim.name(), parts.join(QString::fromUtf8(" · "))));
    setToolTip(tr("From which rests it is carried, with which passes, and what was written of it") +
               (file ? "\n" + file->path : QString()));
}

}  // namespace nb
