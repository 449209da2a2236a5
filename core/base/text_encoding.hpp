// Texts that are not UTF-8: names as older programs wrote them.
#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace nb {

/// True for well-formed UTF-8 (RFC 3629: no overlong forms, no surrogates).
bool is_utf8(std::string_view text);

/// As it may stand on a line: control characters and bytes that are no UTF-8 as \xNN.
std::string shown_text(std::string_view text);

/// As it may stand in a page: < > & " as entities.
std::string escaped_markup(std::string_view text);

/// The encoding in which all of `texts` can be read: "" when they are UTF-8, else "SHIFT_JIS" when every one
/// of them is valid there and their letters beyond ASCII are mostly kana or kanji, else "WINDOWS-1252" (every
/// byte of which this reads; the five it does not define as ISO 8859-1 has them). A guess, to be told.
std::string guess_encoding(const std::vector<std::string>& texts);
/// Its name as people say it: "Shift-JIS", "Latin-1 (Windows-1252)".
std::string encoding_name(const std::string& encoding);

/// To UTF-8 and back; what cannot be written in the encoding stays in UTF-8.
std::string to_utf8(std::string_view text, const std::string& encoding);
std::string from_utf8(std::string_view text, const std::string& encoding);

}  // namespace nb
