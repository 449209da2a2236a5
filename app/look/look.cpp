#include "app/look/look.hpp"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QRegularExpression>
#include <QScreen>
#include <QStyleFactory>
#include <QSvgRenderer>
#include <QWidget>
#include <cmath>

/// The resources stand in a static library: they must be asked for.
static void take_resources() {
    Q_INIT_RESOURCE(app);
}

namespace nb {

namespace {

Look current;
double scale_now = 1.0;
bool is_sheet_held = false;

/// Widgets that keep sizes of their own follow it.
class LookTeller : public QObject {
    Q_OBJECT

  public:
    static LookTeller& the() {
        static LookTeller teller;
        return teller;
    }

  signals:
    void changed();
};

/// Lengths of a style sheet from this on are as text is; thinner lines stay as they are.
constexpr int least_scaled_px = 8;

QString scaled_lengths(QString sheet) {
    static const QRegularExpression length("\\b(\\d+)px");
    qsizetype from = 0;
    for (auto found = length.match(sheet, from); found.hasMatch(); found = length.match(sheet, from)) {
        const int px = found.captured(1).toInt();
        const QString now = QString("%1px").arg(px < least_scaled_px ? px : scaled(px));
        sheet.replace(found.capturedStart(), found.capturedLength(), now);
        from = found.capturedStart() + now.size();
    }
    return sheet;
}

QColor to_q(const Colour& c) {
    return QColor::fromRgbF(c[0], c[1], c[2]);
}

QString sheet(const Look& l) {
    QString text = R"(
        QMainWindow, QDialog, #page { background: %ground; }
        QWidget { color: %text; }
        #raised { background: %raised; }
        QLabel[dim="true"] { color: %dim; }
        QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { width: 0; border: none; }
        QToolTip { background: %raised; color: %text; border: 1px solid %line; padding: 4px; }
        QPushButton, QToolButton { background: transparent; border: 1px solid %line; border-radius: 3px; padding: 4px 9px; }
        QPushButton, QToolButton { icon-size: 16px; }
        QToolButton#bare, QPushButton#bare { border: none; padding: 4px; }
        QPushButton:hover, QToolButton:hover { border-color: %mark; }
        QToolButton#bare:focus, QPushButton#bare:focus { border: 1px solid %mark; padding: 3px; border-radius: 3px; }
        QToolButton#bare:hover { background: %line; border-radius: 3px; }
        QPushButton:focus, QToolButton:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus, QLineEdit:focus { border: 1px solid %mark; }
        QPushButton:checked, QToolButton:checked { background: %line; }
        QPushButton:disabled, QToolButton:disabled { color: %dim; border-color: %line; }
        QComboBox, QSpinBox, QDoubleSpinBox, QLineEdit { background: %ground; border: 1px solid %line; border-radius: 3px; padding: 3px 6px; selection-background-color: %line; selection-color: %text; }
        QComboBox::drop-down { border: none; width: 18px; }
        QComboBox::down-arrow { image: url(:/icons/down-%name.svg); width: 9px; height: 9px; }
        QComboBox QAbstractItemView, QListView, QListWidget { background: %raised; border: 1px solid %line; selection-background-color: %line; selection-color: %text; outline: none; }
        QMenu { background: %raised; border: 1px solid %line; padding: 4px; }
        QMenu::item { padding: 5px 22px; } QMenu::item:selected { background: %line; }
        QMenu::item:disabled { color: %dim; }
        QMenu::separator { height: 1px; background: %line; margin: 4px 8px; }
        QSlider::groove:horizontal { height: 2px; background: %dim; }
        QSlider::groove:horizontal:focus { background: %mark; }
        QListView:focus, QTextBrowser:focus { border: 1px solid %mark; }
        QSlider::handle:horizontal { background: %mark; width: 10px; margin: -6px 0; border-radius: 2px; }
        QProgressBar { border: 1px solid %line; border-radius: 2px; background: %ground; height: 8px; text-align: center; }
        QProgressBar::chunk { background: %mark; }
        QSplitter::handle { background: %line; }
        QSplitter::handle:hover { background: %mark; }
        QHeaderView { background: %raised; }
        QHeaderView::section { background: %raised; color: %dim; border: none; padding: 3px 6px; }
        QTableView { background: %ground; border: 1px solid %line; selection-background-color: %line; selection-color: %text; outline: none; }
        QTableView::item { padding: 0 5px; }
        QTableView:focus { border: 1px solid %mark; }
        QScrollArea { border: none; background: transparent; }
        QScrollBar:vertical { background: transparent; width: 9px; } QScrollBar::handle:vertical { background: %line; border-radius: 4px; min-height: 24px; }
        QScrollBar:horizontal { background: transparent; height: 9px; } QScrollBar::handle:horizontal { background: %line; border-radius: 4px; min-width: 24px; }
        QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
        QCheckBox::indicator { width: 12px; height: 12px; border: 1px solid %dim; border-radius: 2px; background: %ground; }
        QCheckBox::indicator:checked { border-color: %mark; image: url(:/icons/tick-%name.svg); }
        QCheckBox::indicator:hover { border-color: %mark; }
        QCheckBox:focus { color: %mark; text-decoration: underline; }
    )";
    const std::pair<const char*, QColor> names[] = {{"%ground", l.ground}, {"%raised", l.raised},
                                                    {"%line", l.line},     {"%text", l.text},
                                                    {"%dim", l.dim},       {"%mark", l.mark}};
    text.replace("%name", l.is_paper ? "paper" : "ink");
    for (const auto& [name, colour] : names) text.replace(name, colour.name());
    return scaled_lengths(text);
}

}  // namespace

double text_scale() {
    return scale_now;
}

QSize scaled(const QSize& px) {
    return px * scale_now;
}

int scaled(double px) {
    return int(std::lround(px * scale_now));
}

QFont text_font(double px) {
    QFont font = QApplication::font();
    font.setPixelSize(scaled(px));
    return font;
}

void when_scaled(QWidget* widget, const std::function<void()>& run) {
    QObject::connect(&LookTeller::the(), &LookTeller::changed, widget, run);
    run();
}

QColor Look::measure(double share) const {
    // Lightness runs evenly from the ground's neighbour to the mark: even steps look even.
    const double u = std::pow(std::clamp(share, 0.0, 1.0), 0.8);
    const QColor from = is_paper ? QColor(0xb9, 0xb3, 0xa4) : QColor(0x4b, 0x5a, 0x7b);
    const QColor to = mark;
    return QColor::fromRgbF(float(from.redF() + u * (to.redF() - from.redF())),
                            float(from.greenF() + u * (to.greenF() - from.greenF())),
                            float(from.blueF() + u * (to.blueF() - from.blueF())));
}

const Look& look() {
    return current;
}

void apply_look(const QString& name, int text_percent) {
    Look l;
    l.is_paper = name == "paper";
    if (l.is_paper) {
        l.ground = QColor(0xf4, 0xef, 0xe4);
        l.raised = QColor(0xea, 0xe3, 0xd4);
        l.line = QColor(0xcf, 0xc7, 0xb5);
        l.text = QColor(0x1c, 0x27, 0x40);
        l.dim = QColor(0x6a, 0x6c, 0x72);
    } else {
        l.ground = QColor(0x10, 0x19, 0x2b);
        l.raised = QColor(0x17, 0x22, 0x39);
        l.line = QColor(0x2c, 0x3a, 0x58);
        l.text = QColor(0xe6, 0xdf, 0xcf);
        l.dim = QColor(0x93, 0x9c, 0xb0);
    }
    l.mark = to_q(l.stage().mark);
    l.source = to_q(l.stage().source);
    l.target = to_q(l.stage().target);
    current = l;

    static const bool has_fonts = [] {
        take_resources();
        for (const auto* file : {":/fonts/B612-Regular.otf", ":/fonts/B612-Bold.otf"})
            QFontDatabase::addApplicationFont(file);
        return true;
    }();
    (void)has_fonts;
    const QScreen* screen = QApplication::primaryScreen();
    const double display = screen ? screen->logicalDotsPerInchY() / 96.0 : 1.0;
    scale_now = std::clamp(display * text_percent / 100.0, 0.75, 3.0);
    QFont font("B612");
    font.setPixelSize(scaled(12));
    QApplication::setFont(font);
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    QPalette palette;
    palette.setColor(QPalette::Window, l.ground);
    palette.setColor(QPalette::Base, l.ground);
    palette.setColor(QPalette::AlternateBase, l.raised);
    palette.setColor(QPalette::Button, l.raised);
    for (const auto role :
         {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
        palette.setColor(role, l.text);
    palette.setColor(QPalette::Link, l.mark);
    palette.setColor(QPalette::Highlight, l.line);
    palette.setColor(QPalette::HighlightedText, l.text);
    palette.setColor(QPalette::ToolTipBase, l.raised);
    palette.setColor(QPalette::PlaceholderText, l.dim);
    QApplication::setPalette(palette);
    if (!is_sheet_held) qApp->setStyleSheet(sheet(l));
    emit LookTeller::the().changed();
}

SheetHeld::SheetHeld() {
    is_sheet_held = true;
    qApp->setStyleSheet({});
}

SheetHeld::~SheetHeld() {
    is_sheet_held = false;
    qApp->setStyleSheet(sheet(current));
}

QIcon icon(const QString& name) {
    QFile file(":/icons/" + name + ".svg");
    if (!file.open(QIODevice::ReadOnly)) return {};
    const QByteArray svg = file.readAll();
    QIcon result;
    for (const auto& [mode, colour] :
         {std::pair{QIcon::Normal, look().text}, std::pair{QIcon::Disabled, look().line}}) {
        QSvgRenderer renderer(QByteArray(svg).replace("currentColor", colour.name().toLatin1()));
        for (const int scale : {1, 2}) {
            QPixmap pixmap(18 * scale, 18 * scale);
            pixmap.fill(Qt::transparent);
            QPainter painter(&pixmap);
            renderer.render(&painter);
            result.addPixmap(pixmap, mode);
        }
    }
    return result;
}

}  // namespace nb

#include "look.moc"
