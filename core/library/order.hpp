// What is to be handed over, set up once and kept with the library: orders/<name>.json.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/documents/format.hpp"
#include "core/handover/goals.hpp"
#include "core/handover/handed.hpp"
#include "core/handover/travel.hpp"
#include "core/handover/write.hpp"
#include "core/library/library.hpp"

namespace nb {

/// What is done where a file is there already.
enum class Clash { skip, number, replace };
std::string_view clash_name(Clash clash);
std::optional<Clash> clash_of(std::string_view name);

/// A take of the library on a character of it, by their names.
struct OrderedPair {
    std::string take, character;
    bool operator==(const OrderedPair&) const = default;
};

struct HandOverOrder {
    std::string id, name;
    std::vector<OrderedPair> pairs;
    int first = 0, last = 0;    ///< frames of each result, `last` not included; 0: to its end
    std::optional<double> fps;  ///< none: the take's
    bool has_stance_first = false;
    bool is_motion_alone = false;
    bool has_props = false;  ///< the take's props as further nodes (.glb, .bvh, .csv)
    bool is_together =
        false;  ///< takes of a character whose names come out equal: one .glb, an animation each
    Placement placement;
    Travel travel;
    bool has_track_file = false;  ///< the travel as a table beside
    std::optional<KeyTolerance> reduce;
    std::optional<GoalOptions> goals;  ///< as nodes, a file of its own (.glb, .bvh)
    bool has_sound = false;            ///< the take's sound, cut to the result, as .wav beside
    bool has_controls = false;         ///< the character's control rig keyed, a file of its own (.glb)
    std::vector<std::string> formats{".glb"};
    std::string folder = "handed-over";  ///< relative to the library, or anywhere
    std::string pattern = "{take}_{character}";
    std::string version = "1";  ///< for {version}
    Clash clash = Clash::skip;
    std::string date;  ///< for {date} and the report; empty: today's. No part of the document
    Json other;        ///< the document as read, for keys this program does not know
};

Json order_document(const HandOverOrder& order);
/// Throws FileError.
HandOverOrder read_order(const Json& document, const std::string& path);

/// Those kept with a library, by name; what cannot be read is told in `troubles`.
struct KeptOrder {
    std::string path;
    HandOverOrder order;
};
std::vector<KeptOrder> orders_of(const Library& library, std::vector<std::string>& troubles);
/// Where an order of that name is kept. Throws FileError for a name that cannot be one.
std::string order_place(const Library& library, const std::string& name);

}  // namespace nb
