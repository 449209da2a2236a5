#include "core/base/text_encoding.hpp"

#include <fmt/format.h>
#include <iconv.h>

#include <algorithm>

namespace nb {

namespace {

constexpr const char* latin = "WINDOWS-1252";
constexpr const char* japanese = "SHIFT_JIS";

/// Length of the well-formed sequence at `at`; 0 when there is none (RFC 3629, section 4).
size_t sequence_at(std::string_view text, size_t at) {
    const auto byte = [&](size_t i) {
        return at + i < text.size() ? static_cast<unsigned char>(text[at + i]) : 0;
    };
    const auto is_tail = [&](size_t i, int low = 0x80, int high = 0xBF) {
        return byte(i) >= low && byte(i) <= high;
    };
    const int first = byte(0);
    if (first < 0x80) return 1;
    if (first >= 0xC2 && first <= 0xDF) return is_tail(1) ? 2 : 0;
    if (first >= 0xE0 && first <= 0xEF)
        return is_tail(1, first == 0xE0 ? 0xA0 : 0x80, first == 0xED ? 0x9F : 0xBF) && is_tail(2) ? 3 : 0;
    if (first >= 0xF0 && first <= 0xF4)
        return is_tail(1, first == 0xF0 ? 0x90 : 0x80, first == 0xF4 ? 0x8F : 0xBF) && is_tail(2) &&
                       is_tail(3)
                   ? 4
                   : 0;
    return 0;
}

/// False when the text cannot be converted whole.
bool convert(std::string_view text, const char* from, const char* to, std::string& result) {
    result.clear();
    const iconv_t converter = iconv_open(to, from);
    if (converter == iconv_t(-1)) return false;
    std::string input(text);
    result.resize(4 * input.size() + 8);
    char* in = input.data();
    size_t in_left = input.size();
    char* out = result.data();
    size_t out_left = result.size();
    const bool is_whole = iconv(converter, &in, &in_left, &out, &out_left) != size_t(-1) && in_left == 0;
    iconv_close(converter);
    result.resize(size_t(out - result.data()));
    return is_whole;
}

/// Code points beyond ASCII, and those of them that are kana or kanji.
void count_letters(std::string_view utf8, int& beyond_ascii, int& japanese_letters) {
    for (size_t at = 0; at < utf8.size();) {
        const size_t length = std::max<size_t>(1, sequence_at(utf8, at));
        if (length > 1) ++beyond_ascii;
        if (length == 3) {
            const int code = (utf8[at] & 0x0F) << 12 | (utf8[at + 1] & 0x3F) << 6 | (utf8[at + 2] & 0x3F);
            japanese_letters += (code >= 0x3041 && code <= 0x30FF) || (code >= 0x4E00 && code <= 0x9FFF);
        }
        at += length;
    }
}

/// Each byte a letter: Windows-1252, and ISO 8859-1 where that leaves five bytes without meaning.
std::string from_latin(std::string_view text) {
    std::string result;
    for (const char c : text) {
        std::string letter;
        if (static_cast<unsigned char>(c) < 0x80)
            result += c;
        else if (convert({&c, 1}, latin, "UTF-8", letter))
            result += letter;
        else {
            result += char(0xC0 | (static_cast<unsigned char>(c) >> 6));
            result += char(0x80 | (c & 0x3F));
        }
    }
    return result;
}

}  // namespace

bool is_utf8(std::string_view text) {
    for (size_t at = 0; at < text.size();) {
        const size_t length = sequence_at(text, at);
        if (length == 0) return false;
        at += length;
    }
    return true;
}

std::string shown_text(std::string_view text) {
    std::string result;
    for (size_t at = 0; at < text.size();) {
        const size_t length = sequence_at(text, at);
        const auto byte = static_cast<unsigned char>(text[at]);
        // C0 and C1 control characters steer terminals.
        const bool is_control =
            byte < 0x20 || byte == 0x7F ||
            (length == 2 && byte == 0xC2 && static_cast<unsigned char>(text[at + 1]) < 0xA0);
        if (length == 0 || is_control) {
            for (size_t i = 0; i < std::max<size_t>(1, length); ++i)
                result += fmt::format("\\x{:02X}", static_cast<unsigned char>(text[at + i]));
        } else {
            result.append(text.substr(at, length));
        }
        at += std::max<size_t>(1, length);
    }
    return result;
}

std::string guess_encoding(const std::vector<std::string>& texts) {
    if (std::all_of(texts.begin(), texts.end(), [](const std::string& text) { return is_utf8(text); }))
        return "";
    int beyond = 0;
    int kana = 0;
    for (const std::string& text : texts) {
        std::string utf8;
        if (!convert(text, japanese, "UTF-8", utf8)) return latin;
        count_letters(utf8, beyond, kana);
    }
    return 2 * kana > beyond ? japanese : latin;
}

std::string encoding_name(const std::string& encoding) {
    return encoding == japanese ? "Shift-JIS" : encoding == latin ? "Latin-1 (Windows-1252)" : "UTF-8";
}

std::string to_utf8(std::string_view text, const std::string& encoding) {
    if (encoding.empty()) return std::string(text);
    if (encoding == latin) return from_latin(text);
    std::string result;
    return convert(text, encoding.c_str(), "UTF-8", result) ? result : from_latin(text);
}

std::string from_utf8(std::string_view text, const std::string& encoding) {
    if (encoding.empty()) return std::string(text);
    std::string result;
    if (convert(text, "UTF-8", encoding.c_str(), result)) return result;
    if (encoding != latin) return std::string(text);
    // The five bytes that Windows-1252 leaves without meaning.
    result.clear();
    for (size_t at = 0; at < text.size();) {
        const size_t length = std::max<size_t>(1, sequence_at(text, at));
        std::string letter;
        if (convert(text.substr(at, length), "UTF-8", latin, letter))
            result += letter;
        else if (length == 2 && static_cast<unsigned char>(text[at]) == 0xC2)
            result += text[at + 1];
        else
            return std::string(text);
        at += length;
    }
    return result;
}

std::string escaped_markup(std::string_view text) {
    std::string out;
    for (const char c : text) {
        if (c == '<')
            out += "&lt;";
        else if (c == '>')
            out += "&gt;";
        else if (c == '&')
            out += "&amp;";
        else if (c == '"')
            out += "&quot;";
        else
            out += c;
    }
    return out;
}

}  // namespace nb
