#include "core/batch/take_query.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <string_view>

#include "core/base/text_encoding.hpp"

namespace nb {

namespace {

constexpr std::array<std::string_view, 9> query_keys{"on",      "longer", "shorter", "does",   "travels",
                                                     "touches", "tried",  "untried", "outside"};

std::string lower(std::string text) {
    for (char& c : text)
        if (c >= 'A' && c <= 'Z') c = char(c + 32);
    return text;
}

std::vector<std::string> words_in(const std::string& text) {
    std::vector<std::string> words;
    std::string word;
    for (const char c : text + " ") {
        if (c != ' ' && c != '\t') {
            word += c;
        } else if (!word.empty()) {
            words.push_back(word);
            word.clear();
        }
    }
    return words;
}

bool is_in(const std::vector<std::string>& list, const std::string& word) {
    return std::any_of(list.begin(), list.end(), [&](const std::string& one) { return lower(one) == word; });
}

template <typename List>
bool is_one_of(const List& list, const std::string& word) {
    return std::any_of(std::begin(list), std::end(list), [&](const auto& one) { return word == one; });
}

}  // namespace

TakeQuery::TakeQuery(const std::string& text) {
    for (const std::string& word : words_in(text)) {
        const size_t colon = word.find(':');
        const std::string key = colon == std::string::npos ? "" : lower(word.substr(0, colon));
        if (!is_one_of(query_keys, key)) {
            plain_ += (plain_.empty() ? "" : " ") + lower(word);
            continue;
        }
        Term term{key, lower(word.substr(colon + 1)), 0.0};
        if (term.value.empty()) continue;  // still being typed
        if (key == "longer" || key == "shorter" || key == "travels") {
            char* end = nullptr;
            term.number = std::strtod(term.value.c_str(), &end);
            if (*end != 0 || !(term.number >= 0.0)) {
                troubles_.push_back(
                    fmt::format("{}: give {}", word, key == "travels" ? "metres" : "seconds"));
                continue;
            }
        }
        if (key == "does" && !is_one_of(account_moves, term.value)) {
            troubles_.push_back(fmt::format("{}: write one of {}", word, fmt::join(account_moves, ", ")));
            continue;
        }
        asks_account_ |= key == "does" || key == "touches" || key == "travels";
        asks_ledger_ |= key == "tried" || key == "untried" || key == "outside";
        terms_.push_back(term);
    }
}

bool TakeQuery::fits(const TakeKnown& take) const {
    const std::string all = lower(take.words);
    for (const std::string& word : words_in(plain_))
        if (all.find(word) == std::string::npos) return false;
    return std::all_of(terms_.begin(), terms_.end(), [&](const Term& term) {
        if (term.key == "on") return lower(take.body).find(term.value) != std::string::npos;
        if (term.key == "longer") return take.seconds >= term.number;
        if (term.key == "shorter") return take.seconds > 0.0 && take.seconds <= term.number;
        if (term.key == "tried") return is_in(take.tried, term.value);
        if (term.key == "untried") return !is_in(take.tried, term.value);
        if (term.key == "outside") return is_in(take.outside, term.value);
        if (!take.account) return false;
        if (term.key == "travels") return take.account->travel_m >= term.number;
        return is_in(term.key == "does" ? take.account->moves : take.account->touches, term.value) ||
               (term.key == "touches" && is_in(take.account->things, term.value));
    });
}

std::string with_filter(const std::string& text, const std::string& key, const std::string& value) {
    const std::string filter = key + ":" + value;
    std::string made;
    bool was_there = false;
    for (const std::string& word : words_in(text)) {
        if (lower(word).starts_with(key + ":")) {
            was_there |= lower(word) == lower(filter);
            continue;
        }
        made += (made.empty() ? "" : " ") + word;
    }
    if (!was_there) made += (made.empty() ? "" : " ") + filter;
    return made;
}

}  // namespace nb
