// What is open and perhaps changed: every document with its state now and as it was read. Each is saved by
// itself; what somebody else wrote meanwhile is found in every kind; a failure is of one document alone.
#pragma once
#include <map>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "core/documents/pairing.hpp"
#include "core/documents/scene.hpp"
#include "core/library/document_key.hpp"
#include "core/library/library.hpp"

namespace nb {

/// What can be changed of a body or take, and is kept in its documents.
struct BodyState {
    LoadOptions options;
    RoleMap roles;
    RestAlignment rest;
    std::vector<RestAlignment> other_rests;
    ChainTable chains;
    TouchLayers touches;
    Contacts contacts;  ///< of the file
};
BodyState state_of(const LoadedFile& file);
/// Where `path` lies after files or folders were moved (from, to); empty when none touches it.
std::string moved_path(const std::string& path,
                       const std::vector<std::pair<std::string, std::string>>& moves);
/// "intake", "roles", "rest", "chains", "touch-ups", "contacts": those in which two states differ.
std::vector<std::string> differences(const BodyState& a, const BodyState& b);

class Drafts {
  public:
    struct Unsaved {
        DocumentKey key;
        std::string name;               ///< of the body, take or pair
        std::vector<std::string> what;  ///< of it has changed
        std::string document;           ///< where it is saved
    };
    enum class Result { done, changed_by_others, failed };
    struct Outcome {
        DocumentKey key;
        std::string name;
        Result result = Result::done;
        std::string document;
        std::string line;  ///< why not; empty when done
    };

    /// A body or take as it was just read. One that is known with changes keeps them.
    void open_file(const DocumentKey& key, const std::string& name, std::shared_ptr<const LoadedFile> file);
    /// Its state now.
    void change_file(const DocumentKey& key, std::shared_ptr<const LoadedFile> file);
    /// A pairing as read (`read`: its document; empty texts: none yet). `is_kept` false: never saved.
    void open_pairing(const DocumentKey& key, const std::string& name, const Pairing& pairing,
                      const ReadDocument& read, bool is_kept = true);
    void open_scene(const DocumentKey& key, const SceneDocument& scene, const ReadDocument& read);
    void change_scene(const DocumentKey& key, const SceneDocument& scene);
    void change_pairing(const DocumentKey& key, const PairingSettings& settings);
    void change_judged(const DocumentKey& key, const Judgements& judged);
    /// What was read when the changes of a document were made, for those brought back after a crash: when it
    /// is another now, somebody else has saved meanwhile.
    void set_base(const DocumentKey& key, const std::string& base);
    std::string base(const DocumentKey& key) const;

    bool has(const DocumentKey& key) const { return drafts_.contains(key); }
    std::string name(const DocumentKey& key) const;
    const Pairing* pairing(const DocumentKey& key) const;
    const SceneDocument* scene(const DocumentKey& key) const;
    bool is_changed(const DocumentKey& key) const;
    /// True when what is on disk is what was read.
    bool is_as_on_disk(const DocumentKey& key) const;
    std::vector<Unsaved> unsaved() const;
    /// Its changes, for recovery ("nimble-bone/unsaved").
    Json changes(const DocumentKey& key) const;

    /// Writes one document, or one pair of them for a take whose body has changed, too. Nothing is written
    /// over what somebody else changed unless `over_others`.
    Outcome save(const DocumentKey& key, bool over_others = false);
    void forget(const DocumentKey& key) { drafts_.erase(key); }
    /// False: nothing of it counts as unsaved; it lives on elsewhere.
    void set_kept(const DocumentKey& key, bool is_kept);
    /// Of bodies and takes.
    std::vector<DocumentKey> files() const;
    /// The documents a save of it writes.
    std::vector<std::string> documents(const DocumentKey& key) const;

    /// Files were moved (from, to): documents go with them. Which keys became which.
    std::vector<std::pair<DocumentKey, DocumentKey>> moved(
        const std::vector<std::pair<std::string, std::string>>& moves);
    /// This program wrote a document itself: a new name.
    void wrote(const std::string& document, const std::string& text, const std::string& name);

  private:
    struct Draft {
        std::string name;
        std::shared_ptr<const LoadedFile> file;
        BodyState saved;
        ReadDocument document, body_document;  ///< of a take: its own, and its body's
        Pairing pairing;
        PairingSettings saved_settings;
        Judgements saved_judged;
        SceneDocument scene, saved_scene;
        bool is_kept = true;
        bool is_behind = false;  ///< brought back onto another state of the document
    };
    std::map<DocumentKey, Draft> drafts_;

    static std::vector<std::string> changed(const DocumentKey& key, const Draft& draft);
    static void save_character(Draft& draft, bool over_others);
    static void save_take(const DocumentKey& key, Draft& draft, bool over_others);
    static void save_pairing(const DocumentKey& key, Draft& draft, bool over_others);
    static void save_scene(Draft& draft, bool over_others);
};

}  // namespace nb
