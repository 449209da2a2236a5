#include "app/window/handbook.hpp"

#include <QDir>
#include <QFile>
#include <QImageReader>
#include <QRegularExpression>
#include <QScrollBar>
#include <QTextBlock>
#include <QTextList>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "core/library/shipped.hpp"

namespace nb {

namespace {

constexpr const char* first_page = "README";

/// Where the pages lie; empty when they are nowhere.
QString handbook_folder() {
    return text_of(find_shipped("handbook"));
}

}  // namespace

QString handbook_page(const QString& page) {
    QFile file(handbook_folder() + "/" + QString(page).replace(' ', '-') + ".md");
    if (page.contains('/') || !file.open(QIODevice::ReadOnly)) return {};
    return QString::fromUtf8(file.readAll());
}

std::vector<HandbookEntry> handbook_entries() {
    // Titles, and what opens a line in bold or in slanted letters: words and troubles.
    static const QRegularExpression title("^# (.+)$");
    static const QRegularExpression opening("^- \\*{1,2}([^*]+)\\*{1,2}");
    std::vector<HandbookEntry> entries;
    for (const QString& name : QDir(handbook_folder()).entryList({"*.md"}, QDir::Files)) {
        const QString page = name.chopped(3);
        for (const QString& line : handbook_page(page).split('\n'))
            for (const QRegularExpression* mark : {&title, &opening})
                if (const auto found = mark->match(line); found.hasMatch())
                    entries.push_back({found.captured(1).remove(QRegularExpression("[:.]$")), page});
    }
    return entries;
}

Handbook::Handbook(QWidget* parent) : QTextBrowser(parent) {
    setObjectName("raised");
    setAccessibleName(tr("handbook"));
    setOpenLinks(false);
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn);  // one that comes and goes would lay the page out anew
    document()->setDocumentMargin(14);
    connect(this, &QTextBrowser::anchorClicked, this, [this](const QUrl& url) {
        if (url.fileName().endsWith(".md")) show_page(url.fileName().chopped(3));
    });
    when_scaled(this, [this] { lay_out(); });  // a change of the look comes with it
}

void Handbook::show_page(const QString& page, const QString& at_words) {
    page_ = handbook_page(page).isEmpty() ? first_page : page;
    lay_out();
    verticalScrollBar()->setValue(0);
    if (at_words.isEmpty()) return;
    QTextCursor found = document()->find(at_words);
    // A title is found at the top of its page; a word there, where it opens a line.
    while (!found.isNull() && found.selectionStart() != found.block().position())
        found = document()->find(at_words, found);
    if (found.isNull()) return;
    setTextCursor(found);
    verticalScrollBar()->setValue(verticalScrollBar()->value() + cursorRect(found).top() - 8);
}

void Handbook::lay_out() {
    if (page_.isEmpty()) return;
    const int at = verticalScrollBar()->value();
    const QString text = handbook_page(page_);
    setMarkdown(text.isEmpty()
                    ? tr("The handbook is not found: set NB_SHARE to the folder that has handbook/.")
                    : text);
    document()->setIndentWidth(scaled(16));
    for (QTextBlock block = document()->begin(); block.isValid(); block = block.next()) {
        QTextBlockFormat format = block.blockFormat();
        format.setTopMargin(format.headingLevel() > 1 ? scaled(12) : 0);
        format.setBottomMargin(scaled(block.textList() ? 4 : 8));
        QTextCursor(block).setBlockFormat(format);
    }
    verticalScrollBar()->setValue(at);
}

QVariant Handbook::loadResource(int type, const QUrl& name) {
    if (type != QTextDocument::ImageResource) return {};
    QImageReader reader(QDir(handbook_folder()).filePath(name.path()));
    const double room = std::max(80.0, viewport()->width() - 2 * document()->documentMargin());
    const QSize whole = reader.size();
    if (!whole.isValid()) return {};
    reader.setScaledSize(QSize(int(room), int(room * whole.height() / whole.width())));
    return reader.read();
}

void Handbook::resizeEvent(QResizeEvent* event) {
    QTextBrowser::resizeEvent(event);
    if (event->oldSize().width() != event->size().width()) lay_out();
}

}  // namespace nb
