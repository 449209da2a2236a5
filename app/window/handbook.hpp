// The handbook beside the stage: a page a station. Its words are found by the finder.
#pragma once
#include <QTextBrowser>
#include <vector>

namespace nb {

/// The text of a page ("chains"), in Markdown; empty when there is none.
QString handbook_page(const QString& page);

/// Something the handbook has words on.
struct HandbookEntry {
    QString words;  ///< a page's name, a word explained or a trouble told
    QString page;
};
std::vector<HandbookEntry> handbook_entries();

class Handbook : public QTextBrowser {
    Q_OBJECT

  public:
    explicit Handbook(QWidget* parent = nullptr);
    /// The page of this name, at these words of it; the first page when there is none of that name.
    void show_page(const QString& page, const QString& at_words = {});
    const QString& page() const { return page_; }

  protected:
    QVariant loadResource(int type, const QUrl& name) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    QString page_;

    void lay_out();
};

}  // namespace nb
