// A pairing: how one body drives another.
#pragma once
#include "core/documents/format.hpp"
#include "core/review/judgement.hpp"
#include "core/solve/settings.hpp"

namespace nb {

struct Pairing {
    std::string id;
    std::string source_id, source_path;
    std::string target_id, target_path;
    PairingSettings settings;
    Judgements judged;  ///< what was said of takes on this target
    Json other;         ///< the document as read, for keys this program does not know
};

/// "first place", "origin" or [x, z] in metres.
Json map_centre_json(const MapCentre& about);
Json pairing_document(const Pairing& pairing);
Pairing read_pairing(const Json& document, const std::string& path);

}  // namespace nb
