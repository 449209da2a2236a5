// The project's own documents. The first byte says which; a body that fits them is there.
#include "core/documents/change.hpp"
#include "core/documents/character.hpp"
#include "core/documents/contacts.hpp"
#include "core/documents/intake.hpp"
#include "core/documents/pairing.hpp"
#include "core/documents/scene.hpp"
#include "core/documents/take.hpp"
#include "core/library/document_key.hpp"
#include "tests/fuzz/fuzz.hpp"
#include "tests/support/test_rigs.hpp"

using namespace nb;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    if (size < 2) return 0;
    static const LoadedFile body = [] {
        LoadedFile loaded = load_file(test::rig("dockhand/rig.bvh"));
        loaded.take.emplace();
        loaded.take->frames = 20;
        loaded.take->joints = loaded.character.rig.skeleton.size();
        loaded.take->frame_time_s = 1.0 / 30.0;
        loaded.file_frames = 20;
        loaded.file_fps = 30.0;
        return loaded;
    }();
    const std::string text(reinterpret_cast<const char*>(data) + 1, size - 1);
    const std::string name = "input.json";
    fuzz::only_told({reinterpret_cast<const char*>(data), size}, [&] {
        switch (data[0] % 6) {
            case 0: {
                Character character = body.character;
                std::vector<std::string> notes;
                apply_character_document(parse_document(text, name, "character"), name, character, nullptr,
                                         notes);
                format_document(character_document(character));
                break;
            }
            case 1:
                format_document(pairing_document(read_pairing(parse_document(text, name, "pairing"), name)));
                break;
            case 2: {
                const TakeDocument take = read_take_document(parse_document(text, name, "take"), name);
                LoadOptions options;
                read_intake(take.other, name, options);
                LoadedFile file = body;
                set_contacts_in_file(file, read_contacts(take.other, name, file));
                format_document(take_document(take));
                break;
            }
            case 3: {
                const Json document = parse_document(text, name, "unsaved");
                LoadOptions options;
                read_change(document, name, options);
                if (document.contains("of")) read_key(object_in(document, "of", name), name);
                LoadedFile file = body;
                apply_change(document, name, file);
                break;
            }
            case 4:
                format_document(scene_document(read_scene(parse_document(text, name, "scene"), name)));
                break;
            default:
                parse_document(text, name, "library");
        }
    });
    return 0;
}
