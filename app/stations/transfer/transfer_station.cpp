#include "app/stations/transfer/transfer_station.hpp"

#include "app/stations/transfer/event_desk.hpp"
#include "app/stations/transfer/events_page.hpp"
#include "app/stations/transfer/transfer_panel.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"

namespace nb {

TransferStation::TransferStation(const StationContext& c)
    : Station({"transfer", tr("Transfer"),
               tr("Carries the take onto the target and shows how well it arrives."), 1.45},
              c.window),
      desk_(new EventDesk(c.workspace, c.playback, c.undo, this)),
      sheet_(new TransferSheet(c.workspace, c.playback, c.stage, c.undo, *desk_, c.window)),
      panel_(new TransferPanel(c.workspace, c.playback, c.undo, *desk_, c.window)) {
    show_in_window(panel_, sheet_);
    connect(sheet_, &TransferSheet::page_shown, this, [this](TransferSheet::Page page) {
        const bool is_list = page == TransferSheet::Page::events;
        turn_page(is_list ? "/events" : "", is_list ? 300 : 208);
    });
    connect(desk_, &EventDesk::said, this, &Station::said);
    connect(desk_, &EventDesk::contact_wanted, sheet_, &TransferSheet::choose_contact);
    connect(desk_, &EventDesk::rest_wanted, this, [this](const QString& role) { emit wanted("rest", role); });
    connect(desk_, &EventDesk::touch_wanted, this,
            [this](const QString& role) { emit wanted("touch up", role); });
    connect(desk_, &EventDesk::changed, this, &Station::open_points_changed);
    connect(panel_, &TransferPanel::events_wanted, sheet_,
            [this] { sheet_->show_page(TransferSheet::Page::events); });
    connect(sheet_, &TransferSheet::said, this, &Station::said);
    connect(panel_, &TransferPanel::said, this, &Station::said);
    connect(panel_, &TransferPanel::worst_wanted, sheet_, &TransferSheet::go_to_worst);
}

std::vector<StationAction> TransferStation::actions() {
    return {
        {"curves",
         tr("Curves of the selected bone, or the strip"),
         {Qt::Key_C},
         [this] {
             using Page = TransferSheet::Page;
             sheet_->show_page(sheet_->page() == Page::curves ? Page::strip : Page::curves);
         }},
        {"next event", tr("To the next place where it falls short"), {Qt::Key_E}, [this] { desk_->step(1); }},
        {"event before",
         tr("To the place before where it falls short"),
         {QKeySequence(Qt::SHIFT | Qt::Key_E)},
         [this] { desk_->step(-1); }},
        {"accept event", tr("Accept the event in hand"), {Qt::Key_A}, [this] { sheet_->events().accept(); }},
        {"event done",
         tr("Say that the event in hand is done"),
         {Qt::Key_X},
         [this] { sheet_->events().set_done(); }},
        {"mark frame",
         tr("Mark this frame, or no more"),
         {Qt::Key_K},
         [this] { sheet_->events().mark_frame(); }},
        {"pin", tr("Pin the result, or let go of it"), {Qt::Key_P}, [this] { panel_->toggle_pin(); }},
        {"worst", tr("To the next worst frame of the measure"), {Qt::Key_W}, [this] {
             sheet_->go_to_next_worst();
         }}};
}

int TransferStation::open_points() const {
    return desk_->open_count();
}

void TransferStation::refresh_look() {
    sheet_->refresh_look();
    panel_->refresh_look();
}

}  // namespace nb
