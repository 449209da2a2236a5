// What a person asked for is no fault: settings and contacts that move bones beside the source's on purpose.
#pragma once
#include <string>
#include <vector>

#include "core/body/chain_settings.hpp"
#include "core/solve/engine.hpp"

namespace nb {

/// The limb of a role, "arm.left"; of every role but those of legs an arm.
std::string limb_of(const std::string& role);
/// Whether settings turn a limb's bones beside the source's: its pole, or a shoulder that takes a share.
bool is_turned_aside(const ChainTable& chains, const std::string& limb);
/// Whether a limb goes by the place of its tip: its bones then point where that needs them to.
bool goes_by_tip(const TransferResult& result, const PairingSettings& settings, const std::string& limb);
/// Frames in which a limb's end is held by a contact, holds a thing, touches the skin or is kept out of it
/// (core/solve/clear.hpp), at all: 1; 0 elsewhere.
std::vector<char> held_frames(const TransferResult& result, const std::string& limb);
/// Frames in which touch-ups move a role or limb beside the source's, at all: 1; 0 elsewhere.
std::vector<char> touched_frames(const TransferResult& result, const std::string& row);
/// Whether lengths of bones follow the source's.
bool has_following_lengths(const TransferResult& result);

}  // namespace nb
