// Names of files by a person's own pattern: "{take}_{character}_{fps}".
#pragma once
#include <map>
#include <string>
#include <vector>

namespace nb {

/// The words a pattern may have, in the order they are offered.
const std::vector<std::string>& pattern_words();

/// The pattern with its words filled in; blanks become '-'. Throws std::invalid_argument, in a sentence, for a word
/// that is not known or a brace without its other.
std::string fill_pattern(const std::string& pattern, const std::map<std::string, std::string>& values);

/// A name somebody gave, as a file is called: blanks and slashes become '-'; empty: "order".
std::string file_stem(const std::string& name);

/// Why a name cannot stand as a file on every common system; empty: it can. Slashes make folders below.
std::string why_illegal(const std::string& name);

}  // namespace nb
