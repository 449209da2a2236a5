// Without a mouse: every station by the keyboard alone, seen where the keyboard is; and text of other sizes.
#include <QScrollArea>
#include <QtTest>

#include "app/stations/chains/chain_ruler.hpp"
#include "app/stations/chains/chains_sheet.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/window/finder.hpp"
#include "app/window/handbook.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/top_bar.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_keyboard {

using namespace nb;

namespace {

QString called(const QWidget* widget) {
    return QString("%1 \"%2\" \"%3\"")
        .arg(widget->metaObject()->className(), widget->accessibleName(),
             widget->property("text").toString());
}

}  // namespace

class KeyboardTest : public test::WindowFixture {
    Q_OBJECT

  private:
    /// What stands on the window's ground where a widget is, with a little around it.
    QImage picture_at(const QWidget* widget) {
        const QRect place(widget->mapTo(&w(), QPoint(0, 0)), widget->size());
        return w().grab(place.adjusted(-2, -2, 2, 2)).toImage();
    }
    struct Stop {
        QWidget* widget;
        QImage with_keyboard;
    };
    /// Tab, until the keyboard is where it was first; every stop.
    std::vector<Stop> tab_round() {
        std::vector<Stop> stops;
        QWidget* first = QApplication::focusWidget();
        for (int i = 0; i < 200; ++i) {
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
            QCoreApplication::processEvents();
            QWidget* now = QApplication::focusWidget();
            if (!now || now == first) break;
            if (auto* edit = qobject_cast<QLineEdit*>(now)) edit->deselect();
            stops.push_back({now, picture_at(now)});
        }
        return stops;
    }
    void tab_to(const QWidget* widget) {
        for (int i = 0; i < 200 && QApplication::focusWidget() != widget; ++i)
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
        QCOMPARE(QApplication::focusWidget(), widget);
    }
    /// Words of buttons and labels that do not fit where they stand.
    QStringList cut_words() {
        QStringList cut;
        for (const QWidget* widget : w().findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->visibleRegion().isEmpty()) continue;
            const auto* button = qobject_cast<const QAbstractButton*>(widget);
            const auto* label = qobject_cast<const QLabel*>(widget);
            const QString text = button ? button->text() : label ? label->text() : QString();
            if (text.isEmpty() || (label && label->wordWrap())) continue;
            if (const auto* tool = qobject_cast<const QToolButton*>(widget);
                tool && tool->toolButtonStyle() == Qt::ToolButtonIconOnly && !tool->icon().isNull())
                continue;
            const int needed =
                label ? label->sizeHint().width() : widget->fontMetrics().horizontalAdvance(text);
            if (widget->width() > 0 && widget->width() < needed)
                cut << QString("%1 (%2 of %3 px)").arg(text).arg(widget->width()).arg(needed);
        }
        return cut;
    }

  private slots:
    void where_the_keyboard_is_is_seen_in_every_station() {
        for (const QString station : {"intake", "roles", "rest", "chains", "transfer"}) {
            w().stations().set_station(station);
            QVERIFY(settled());
            w().stage().setFocus();
            const auto stops = tab_round();
            QVERIFY2(stops.size() > 12, qPrintable(station));
            w().stage().setFocus();
            for (const auto& [widget, with_keyboard] : stops) {
                // What is scrolled away comes back with the keyboard.
                for (QWidget* above = widget->parentWidget(); above; above = above->parentWidget())
                    if (auto* area = qobject_cast<QScrollArea*>(above)) area->ensureWidgetVisible(widget);
                QVERIFY2(!widget->visibleRegion().isEmpty(), qPrintable(station + ": " + called(widget)));
                QVERIFY2(with_keyboard != picture_at(widget), qPrintable(station + ": " + called(widget)));
            }
        }
    }
    void chains_are_worked_by_keys() {
        QTest::keyClick(&w(), Qt::Key_F4);
        QCOMPARE(w().stations().station().about().id, QString("chains"));
        auto& ruler = w().part<ChainRuler>();
        tab_to(&ruler);
        const int frame = w().playback().frame();
        while (ruler.chosen() != "spine") QTest::keyClick(&ruler, Qt::Key_Down);
        // Along the bones: the stage shows which one; no frame is stepped.
        QTest::keyClick(&ruler, Qt::Key_Right);
        const auto chain_of = [&] {
            for (const auto& row : ruler.rows())
                if (row.chain.name == "spine") return row.chain;
            return MatchedChain();
        };
        QCOMPARE(w().stage().selected_joint(), chain_of().T_joints[0]);
        QTest::keyClick(&ruler, Qt::Key_Right);
        QCOMPARE(w().stage().selected_joint(), chain_of().T_joints[1]);
        QCOMPARE(w().playback().frame(), frame);
        // Its far end is matched by Shift and the arrows, and undone.
        const auto match_of = [&](int bone) {
            for (const ChainTick& tick : chain_of().ticks)
                if (tick.second == bone) return tick.first;
            return -1;
        };
        QCOMPARE(match_of(1), -1);
        QTest::keyClick(&ruler, Qt::Key_Right, Qt::ShiftModifier);
        QVERIFY(settled());
        const int first = match_of(1);
        QVERIFY(first >= 0);
        QTest::keyClick(&ruler, Qt::Key_Left, Qt::ShiftModifier);
        QVERIFY(settled());
        QCOMPARE(match_of(1), first - 1);
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(settled());
        QCOMPARE(match_of(1), -1);
    }
    void the_handbook_opens_at_the_station_and_is_found_by_its_words() {
        QTest::keyClick(&w(), Qt::Key_F3);
        QTest::keyClick(&w(), Qt::Key_Question, Qt::ShiftModifier);
        Handbook& book = w().handbook();
        QVERIFY(book.isVisible());
        QCOMPARE(book.page(), QString("rest"));
        QVERIFY(book.toPlainText().startsWith("Rest"));
        // It follows the stations, and Escape closes it.
        QTest::keyClick(&w(), Qt::Key_F2);
        QCOMPARE(book.page(), QString("roles"));
        QTest::keyClick(&book, Qt::Key_Escape);
        QVERIFY(!book.isVisible());
        QCOMPARE(QApplication::focusWidget(), &w().stage());
        // A word of it is found from anywhere, and stands at the top of what is shown.
        w().find_anything();
        auto& finder = w().part<Finder>();
        QTest::keyClicks(finder.field(), "handbook wrung");
        QTest::keyClick(finder.field(), Qt::Key_Return);
        QVERIFY(book.isVisible());
        QCOMPARE(book.page(), QString("looks-wrong"));
        QCOMPARE(book.textCursor().selectedText(), QString("wrung"));
        QVERIFY(book.viewport()->rect().contains(book.cursorRect()));
    }
    void every_station_has_its_page_and_every_link_leads_somewhere() {
        for (const QString station : {"intake", "roles", "rest", "chains", "transfer"})
            QVERIFY2(!handbook_page(station).isEmpty(), qPrintable(station));
        const auto entries = handbook_entries();
        QVERIFY(entries.size() > 40);
        static const QRegularExpression link("\\]\\(([a-z-]+)\\.md\\)");
        int links = 0;
        for (const QString page : {"README", "intake", "roles", "rest", "chains", "transfer", "looks-wrong"})
            for (auto found = link.globalMatch(handbook_page(page)); found.hasNext(); ++links)
                QVERIFY(!handbook_page(found.next().captured(1)).isEmpty());
        QVERIFY(links >= 6);
    }
    void larger_text_is_cut_nowhere_data() {
        QTest::addColumn<int>("percent");
        QTest::addColumn<QSize>("size");
        QTest::newRow("usual") << 100 << QSize(1280, 800);
        QTest::newRow("least window") << 100 << QSize(1000, 640);
        QTest::newRow("125 %") << 125 << QSize(1280, 800);
        QTest::newRow("150 %") << 150 << QSize(1280, 800);
    }
    void larger_text_is_cut_nowhere() {
        QFETCH(int, percent);
        QFETCH(QSize, size);
        w().set_text_size(percent);
        w().notice().say({});
        w().setMinimumSize(200, 200);  // as on a screen that is no larger
        w().resize(size);
        QCOMPARE(QApplication::font().pixelSize(), 12 * percent / 100);
        for (const QString station : {"intake", "roles", "rest", "chains", "transfer"}) {
            w().stations().set_station(station);
            QVERIFY(settled());
            QTest::qWait(60);
            const QStringList cut = cut_words();
            QVERIFY2(cut.isEmpty(), qPrintable(station + ": " + cut.join("; ")));
            QCOMPARE(w().size(), size);
        }
        w().set_text_size(100);
    }
    void drawings_grow_with_the_text() {
        w().stations().set_station("roles");
        auto& rails = w().part<RailsView>();
        const QRectF place = rails.place_of("hand.left");
        w().set_text_size(150);
        QTest::qWait(60);
        // A click where the hand is seen picks the hand.
        QTest::mouseClick(&rails, Qt::LeftButton, {},
                          rails.seen(rails.place_of("hand.left").center()).toPoint());
        QCOMPARE(w().stage().selected_joint(),
                 w().workspace().target()->file.character.roles.joint("hand.left"));
        w().set_text_size(100);
        w().resize(1280, 800);
        QTest::qWait(60);
        QCOMPARE(rails.place_of("hand.left"), place);
        // By keys, step by step, and kept for the next start.
        QTest::keyClick(&w(), Qt::Key_Plus, Qt::ControlModifier);
        QTest::keyClick(&w(), Qt::Key_Plus, Qt::ControlModifier);
        QCOMPARE(QSettings().value("text percent").toInt(), 125);
        QCOMPARE(QApplication::font().pixelSize(), 15);
        QTest::keyClick(&w(), Qt::Key_Minus, Qt::ControlModifier);
        QTest::keyClick(&w(), Qt::Key_Minus, Qt::ControlModifier);
        QCOMPARE(QApplication::font().pixelSize(), 12);
    }
    void a_long_sentence_is_drawn_smaller_and_its_buttons_lose_their_words() {
        w().resize(1000, 640);
        SentenceBar& sentence = w().sentence();
        const int whole = sentence.whole_width();
        sentence.fit(whole);
        QCOMPARE(sentence.target_word()->text(), QString("the ferrier"));
        sentence.fit(whole / 2);
        QVERIFY(sentence.target_word()->text().contains(QChar(0x2026)));
        QCOMPARE(sentence.sentence(),
                 QString("Quay walk, moved by the performer, carried onto the ferrier."));
        w().resize(1280, 800);
        QTest::qWait(30);
        QCOMPARE(sentence.target_word()->text(), QString("the ferrier"));
        QCOMPARE(w().top().button("find").toolButtonStyle(), Qt::ToolButtonTextBesideIcon);
    }
};

NB_TEST_WITH(nb::test::WindowApplication, KeyboardTest)
}  // namespace test_keyboard
#include "test_keyboard.moc"
