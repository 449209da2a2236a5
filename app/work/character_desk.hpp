// Changes of characters as a whole, looked at before they are done: a newer file of a rig, a family, a template. Knows no
// widgets.
#pragma once
#include <memory>

#include "app/work/library_desk.hpp"
#include "core/library/families.hpp"
#include "core/library/renewal.hpp"

namespace nb {

class CharacterDesk : public LibraryDesk {
    Q_OBJECT

  public:
    CharacterDesk(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);
    ~CharacterDesk() override { nb::cancel(looking_); }

    /// What is looked at; it is done by `take_in`.
    struct Looked {
        enum class Kind { newer, giving, filling };
        Kind kind = Kind::newer;
        Choice character;
        std::shared_ptr<const Renewal> renewal;      ///< newer
        int stale = 0;                               ///< newer: pairs that were tried and go stale
        std::shared_ptr<const FamilyChange> change;  ///< giving, filling
        Family family;                               ///< giving
        Parts parts;                                 ///< giving
        std::vector<std::string> lines;              ///< filling: a line a character
    };
    const Looked* looked() const { return looked_ ? &*looked_ : nullptr; }
    void look_at_newer(const Choice& character, const QString& file);
    /// What its family would take of the character.
    void look_at_giving(const Choice& character);
    void set_parts(const Parts& parts);
    /// The library's characters without a family, by all families and templates it has.
    void look_at_filling();
    void take_in();
    void let_go();
    /// What is being looked at is let be; what is shown stays.
    void stop_looking() { nb::cancel(looking_); }

    std::vector<RigVersion> versions(const Choice& character) const;
    void put_version(const Choice& character, const RigVersion& version);

    std::vector<Family> families() const;
    FamilyName family_of(const Choice& character) const;
    void found(const Choice& character, const QString& name);
    void join(const Choice& character, const Family& family);
    void leave(const Choice& character);
    void write_template(const Choice& character, const QString& path);
    /// A file becomes a family of the library.
    void read_template(const QString& path);

  signals:
    void progressed(const QString& what, int done, int of);
    void looked_at();  ///< there is something to look at, another, or nothing any more

  private:
    std::optional<Looked> looked_;
    Cancelled looking_;

    Library library_now() const;
    static LibraryEntry entry_of(const Choice& choice);
    /// Pushes one step for documents that change.
    void push(const FamilyChange& change, const QString& text);
    template <typename Make>
    void push_made(const QString& text, Make make);
    void show(Looked looked);
    void look_at_change(Looked looked);
};

}  // namespace nb
