#include "core/handover/name_pattern.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

#include "core/base/text_encoding.hpp"

namespace nb {

const std::vector<std::string>& pattern_words() {
    static const std::vector<std::string> words{"take", "source", "character", "library", "layer",
                                                "fps",  "frames", "date",      "version"};
    return words;
}

std::string fill_pattern(const std::string& pattern, const std::map<std::string, std::string>& values) {
    std::string name;
    for (size_t i = 0; i < pattern.size(); ++i) {
        if (pattern[i] == '}') throw std::invalid_argument("a '}' has no '{' before it");
        if (pattern[i] != '{') {
            name += pattern[i];
            continue;
        }
        const size_t end = pattern.find('}', i);
        if (end == std::string::npos) throw std::invalid_argument("a '{' has no '}' after it");
        const std::string word = pattern.substr(i + 1, end - i - 1);
        const auto& words = pattern_words();
        if (std::find(words.begin(), words.end(), word) == words.end())
            throw std::invalid_argument(fmt::format("'{}' is no word of a name; there are {}",
                                                    shown_text(word), fmt::join(words, ", ")));
        const auto value = values.find(word);
        if (value != values.end()) {
            std::string text = value->second;
            // A take called "a/b" makes no folder.
            for (char& c : text)
                if (c == '/' || c == '\\') c = '-';
            name += text;
        }
        i = end;
    }
    std::replace(name.begin(), name.end(), ' ', '-');
    return name;
}

std::string file_stem(const std::string& name) {
    std::string stem = name.empty() ? "order" : name;
    for (char& c : stem)
        if (c == ' ' || c == '/') c = '-';
    return stem;
}

std::string why_illegal(const std::string& name) {
    if (name.empty()) return "the name is empty";
    if (name.size() > 200) return "the name is longer than 200 bytes";
    if (name.front() == '/') return "the name begins with a slash";
    for (const char c : name) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 32 || byte == 127) return "a character of the name cannot be seen";
        if (std::string_view("<>:\"\\|?*").find(c) != std::string_view::npos)
            return fmt::format("'{}' cannot stand in a file's name everywhere", c);
    }
    std::string_view rest = name;
    while (!rest.empty()) {
        const std::string_view part = rest.substr(0, rest.find('/'));
        if (part.empty() || part == "." || part == "..") return "a folder of the name is empty or goes up";
        if (part.ends_with('.') || part.ends_with(' '))
            return "a part of the name ends with a point or a blank";
        rest.remove_prefix(std::min(rest.size(), part.size() + 1));
    }
    return "";
}

}  // namespace nb
