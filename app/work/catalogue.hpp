// What can be chosen: the takes and characters of the library, and files that were opened beside it.
#pragma once
#include <QString>
#include <QStringList>
#include <unordered_map>
#include <vector>

#include "app/work/loaded.hpp"
#include "core/library/classify.hpp"

namespace nb {

/// Of a file or folder by any name: one that no file system mistakes for another, whatever folder the program
/// was started in.
QString whole_path(const QString& path);

class Catalogue {
  public:
    const std::vector<Choice>& takes() const { return lists_[0]; }
    const std::vector<Choice>& targets() const { return lists_[1]; }
    const std::vector<Choice>& list(bool of_targets) const { return lists_[of_targets]; }
    int index_of(bool as_target, const DocumentKey& key) const;

    bool has_library() const { return has_library_; }
    /// Null when none is open.
    const Library* library() const { return has_library_ ? &library_ : nullptr; }
    QString folder() const { return QString::fromStdString(library_.folder); }
    /// What is opened first: places in the lists, -1 when they are empty.
    int first(bool of_targets) const;

    /// Each throws FileError when the folder cannot be read; then nothing has changed. Returns what of it
    /// could not be read, a line each. `open` forgets what was opened beside a library before.
    std::vector<std::string> open(const QString& folder);
    std::vector<std::string> read_again();

    /// Lists a file beside the library (a take once for each of its animations), unless it is there; index of
    /// the first.
    int add(const SortedFile& file, bool is_rig);
    /// Lists it when nothing is by its key; its index.
    int add(const Choice& choice, bool is_rig);
    /// One stands in the place of another.
    void replace(const DocumentKey& key, bool is_rig, const Choice& by);
    /// It is kept in this document now.
    void set_document(const DocumentKey& key, const QString& document);
    /// A file's name without its ending, as it is shown.
    static QString shown_name(const std::string& file_name);
    /// An entry of the library as it is listed; what could not be read of it goes to `troubles`.
    static Choice choice_of(const LibraryEntry& entry, bool is_character, std::vector<std::string>& troubles);
    /// Folders whose changes change the lists.
    QStringList folders() const;

    /// Characters of the library whose bones are in a rig, best first: name, share of bones, document.
    struct Kin {
        QString name;
        double share = 0.0;
        QString document;
    };
    std::vector<Kin> kin_of(const Rig& rig) const;

  private:
    Library library_;
    bool has_library_ = false;
    std::vector<Choice> lists_[2];  ///< takes, targets
    /// In the lists, by the hash of the key's path; empty: to be looked up anew.
    mutable std::unordered_multimap<size_t, int> places_[2];

    std::vector<std::string> list_library();
};

}  // namespace nb
