// What is set for chains, as character documents and pairings hold it.
#pragma once
#include "core/body/chain_settings.hpp"
#include "core/documents/format.hpp"

namespace nb {

/// Chain settings by chain. Throws FileError: which chain, what is wrong, what to write.
ChainTable read_chain_table(const Json& json, const std::string& path);

/// Writes a table under `key`; nothing when there is nothing in it.
void put_chains(Json& document, const std::string& key, const ChainTable& table);
/// What a document has for a table of chains.
Shape chain_table_shape();

}  // namespace nb
