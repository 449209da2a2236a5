#include "tests/support/stranger_names.hpp"

#include <fmt/format.h>

#include <array>
#include <cctype>
#include <map>
#include <vector>

namespace nb::test {

namespace {

using Words = std::map<std::string, std::vector<std::string>>;

/// Parts of the body as twelve makers might call them. A word with '#' is a series: the number is part of it.
const std::array<Words, 12>& conventions() {
    static const std::array<Words, 12> all{Words{{"hips", {"hips"}},
                                                 {"spine", {"spine"}},
                                                 {"chest", {"chest"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"head"}},
                                                 {"clavicle", {"clavicle"}},
                                                 {"upperarm", {"upper", "arm"}},
                                                 {"forearm", {"forearm"}},
                                                 {"hand", {"hand"}},
                                                 {"thigh", {"thigh"}},
                                                 {"shin", {"shin"}},
                                                 {"foot", {"foot"}},
                                                 {"toe", {"toe"}}},
                                           Words{{"hips", {"pelvis"}},
                                                 {"spine", {"back"}},
                                                 {"chest", {"ribs"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"skull"}},
                                                 {"clavicle", {"collar"}},
                                                 {"upperarm", {"upper", "arm"}},
                                                 {"forearm", {"lower", "arm"}},
                                                 {"hand", {"wrist"}},
                                                 {"thigh", {"upper", "leg"}},
                                                 {"shin", {"lower", "leg"}},
                                                 {"foot", {"ankle"}},
                                                 {"toe", {"ball"}}},
                                           Words{{"hips", {"pelvis"}},
                                                 {"spine", {"lumbar"}},
                                                 {"chest", {"thorax"}},
                                                 {"neck", {"cervical"}},
                                                 {"head", {"skull"}},
                                                 {"clavicle", {"clavicula"}},
                                                 {"upperarm", {"humerus"}},
                                                 {"forearm", {"radius"}},
                                                 {"hand", {"carpus"}},
                                                 {"thigh", {"femur"}},
                                                 {"shin", {"tibia"}},
                                                 {"foot", {"tarsus"}},
                                                 {"toe", {"toes"}}},
                                           Words{{"hips", {"waist"}},
                                                 {"spine", {"torso"}},
                                                 {"chest", {"torso"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"head"}},
                                                 {"clavicle", {"arm"}},
                                                 {"upperarm", {"arm", "1"}},
                                                 {"forearm", {"arm", "2"}},
                                                 {"hand", {"hand"}},
                                                 {"thigh", {"leg"}},
                                                 {"shin", {"leg", "1"}},
                                                 {"foot", {"foot"}},
                                                 {"toe", {"toe"}}},
                                           Words{{"hips", {"pelvis"}},
                                                 {"spine", {"spine"}},
                                                 {"chest", {"chest"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"head"}},
                                                 {"clavicle", {"collarbone"}},
                                                 {"upperarm", {"shoulder"}},
                                                 {"forearm", {"elbow"}},
                                                 {"hand", {"wrist"}},
                                                 {"thigh", {"hip"}},
                                                 {"shin", {"knee"}},
                                                 {"foot", {"ankle"}},
                                                 {"toe", {"toe"}}},
                                           Words{{"hips", {"hip"}},
                                                 {"spine", {"belly"}},
                                                 {"chest", {"chest"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"head"}},
                                                 {"clavicle", {"shoulder"}},
                                                 {"upperarm", {"arm"}},
                                                 {"forearm", {"forearm"}},
                                                 {"hand", {"palm"}},
                                                 {"thigh", {"leg"}},
                                                 {"shin", {"calf"}},
                                                 {"foot", {"foot"}},
                                                 {"toe", {"toes"}}},
                                           Words{{"hips", {"becken"}},
                                                 {"spine", {"wirbel"}},
                                                 {"chest", {"brust"}},
                                                 {"neck", {"hals"}},
                                                 {"head", {"kopf"}},
                                                 {"clavicle", {"schulter"}},
                                                 {"upperarm", {"oberarm"}},
                                                 {"forearm", {"unterarm"}},
                                                 {"hand", {"hand"}},
                                                 {"thigh", {"oberschenkel"}},
                                                 {"shin", {"unterschenkel"}},
                                                 {"foot", {"fuss"}},
                                                 {"toe", {"zehen"}}},
                                           Words{{"hips", {"bassin"}},
                                                 {"spine", {"colonne"}},
                                                 {"chest", {"poitrine"}},
                                                 {"neck", {"cou"}},
                                                 {"head", {"tete"}},
                                                 {"clavicle", {"epaule"}},
                                                 {"upperarm", {"bras"}},
                                                 {"forearm", {"avantbras"}},
                                                 {"hand", {"main"}},
                                                 {"thigh", {"cuisse"}},
                                                 {"shin", {"mollet"}},
                                                 {"foot", {"pied"}},
                                                 {"toe", {"orteils"}}},
                                           Words{{"hips", {"cadera"}},
                                                 {"spine", {"columna"}},
                                                 {"chest", {"pecho"}},
                                                 {"neck", {"cuello"}},
                                                 {"head", {"cabeza"}},
                                                 {"clavicle", {"clavicula"}},
                                                 {"upperarm", {"brazo"}},
                                                 {"forearm", {"antebrazo"}},
                                                 {"hand", {"mano"}},
                                                 {"thigh", {"muslo"}},
                                                 {"shin", {"pierna"}},
                                                 {"foot", {"pie"}},
                                                 {"toe", {"dedos", "pie"}}},
                                           Words{{"hips", {"bacino"}},
                                                 {"spine", {"schiena"}},
                                                 {"chest", {"petto"}},
                                                 {"neck", {"collo"}},
                                                 {"head", {"testa"}},
                                                 {"clavicle", {"clavicola"}},
                                                 {"upperarm", {"braccio"}},
                                                 {"forearm", {"avambraccio"}},
                                                 {"hand", {"mano"}},
                                                 {"thigh", {"coscia"}},
                                                 {"shin", {"gamba"}},
                                                 {"foot", {"piede"}},
                                                 {"toe", {"punta"}}},
                                           Words{{"hips", {"hip"}},
                                                 {"spine", {"abdomen"}},
                                                 {"chest", {"ribcage"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"head"}},
                                                 {"clavicle", {"scapula"}},
                                                 {"upperarm", {"bicep"}},
                                                 {"forearm", {"lo", "arm"}},
                                                 {"hand", {"hand"}},
                                                 {"thigh", {"ham"}},
                                                 {"shin", {"calf"}},
                                                 {"foot", {"foot"}},
                                                 {"toe", {"toe"}}},
                                           Words{{"hips", {"body"}},
                                                 {"spine", {"spine"}},
                                                 {"chest", {"spine"}},
                                                 {"neck", {"neck"}},
                                                 {"head", {"head"}},
                                                 {"clavicle", {"shoulder"}},
                                                 {"upperarm", {"uparm"}},
                                                 {"forearm", {"loarm"}},
                                                 {"hand", {"hand"}},
                                                 {"thigh", {"upleg"}},
                                                 {"shin", {"loleg"}},
                                                 {"foot", {"foot"}},
                                                 {"toe", {"toe"}}}};
    return all;
}

const Words& common() {
    static const Words words{{"thumb", {"thumb"}},
                             {"index", {"index"}},
                             {"middle", {"middle"}},
                             {"ring", {"ring"}},
                             {"little", {"pinky"}},
                             {"paw", {"paw"}},
                             {"tail", {"tail"}},
                             {"root", {"root"}},
                             {"scene", {"scene"}},
                             {"marker", {"footsteps"}},
                             {"lowerpelvis", {"crotch"}},
                             {"hipbone", {"ilium"}},
                             {"jaw", {"jaw"}},
                             {"eye", {"eye"}},
                             {"ear", {"ear"}},
                             {"hair", {"hair"}},
                             {"skirt", {"skirt"}},
                             {"cape", {"cape"}},
                             {"wing", {"wing"}},
                             {"bust", {"bust"}},
                             {"weapon", {"sword"}},
                             {"weapontip", {"sword", "end"}},
                             {"palm", {"palm"}},
                             {"strap", {"strap"}},
                             {"heel", {"heel"}},
                             {"toedigit", {"toe"}},
                             {"ankle", {"ankle"}}};
    return words;
}

std::string capital(std::string word) {
    if (!word.empty()) word[0] = char(std::toupper(static_cast<unsigned char>(word[0])));
    return word;
}

}  // namespace

NameMaker::NameMaker(std::uint64_t seed, StrangerNames kind) : kind_(kind), state_(seed ^ 0xABCDEF12345ull) {
    next();
    words_ = int(next() % conventions().size());
    sides_ = int(next() % 8);
    numbers_ = int(next() % 4);
    joiner_ = int(next() % 4);
    case_ = int(next() % 3);
    static const std::array<std::string, 8> prefixes{"", "", "", "rig", "control", "mesh:", "crew", "b"};
    prefix_ = prefixes[next() % prefixes.size()];
    is_swapped_ = kind == StrangerNames::misleading;
}

std::uint64_t NameMaker::next() {
    state_ = state_ * 6364136223846793005ull + 1442695040888963407ull;
    return state_ >> 33;
}

std::string NameMaker::style() const {
    return fmt::format("{}{}", words_,
                       kind_ == StrangerNames::partial      ? " in part"
                       : kind_ == StrangerNames::misleading ? " with the sides exchanged"
                                                            : "");
}

std::string NameMaker::name(const BoneLabel& label, int index) {
    if (kind_ == StrangerNames::off || (kind_ == StrangerNames::partial && next() % 100 < 45))
        return fmt::format("{}{}", kind_ == StrangerNames::off ? "joint" : "bone", index + 1);
    const Words& own = conventions()[size_t(words_)];
    const auto find = [&](const std::string& part) -> std::vector<std::string> {
        if (const auto at = own.find(part); at != own.end()) return at->second;
        if (const auto at = common().find(part); at != common().end()) return at->second;
        return {part};
    };
    std::vector<std::string> words;
    int number = label.number;
    if (label.is_finger && label.part != "metacarpal" && words_ == 3) {
        // finger0, finger01, finger02: the thumb is 0.
        words = {fmt::format("finger{}{}", label.finger,
                             label.number > 1 ? std::to_string(label.number - 1) : "")};
        number = -1;
    } else if (label.part == "metacarpal") {
        words = words_ == 3 ? std::vector<std::string>{fmt::format("palm{}", label.finger)}
                            : std::vector<std::string>{"palm", label.text == "little" ? "pinky" : label.text};
    } else if (label.is_finger) {
        words = find(label.part);
        if (words_ == 0 || words_ == 10) words.insert(words.begin(), "finger");
    } else {
        words = find(label.part);
        // A chest that is called as the spine goes on with its numbers.
        const bool is_spine_word = label.part == "chest" && words == find("spine");
        if (label.part == "chest" && !is_spine_word) number = -1;
    }
    if (label.part == "end") {
        words = find(label.text);
        words.emplace_back(words_ % 2 ? "end" : "nub");
    } else if (!label.text.empty() && label.part != "metacarpal") {
        const auto of = find(label.text);
        if (label.part == "goal" || label.part == "pole" || label.part == "twist" || label.part == "tag") {
            words = of;
            words.insert(label.part == "tag" ? words.begin() : words.end(),
                         label.part == "goal"    ? (words_ % 2 ? "ik" : "goal")
                         : label.part == "twist" ? (words_ % 2 ? "roll" : "twist")
                                                 : label.part);
        } else {
            words.push_back(label.text);
        }
    }
    std::string side;
    Side s = label.side;
    if (is_swapped_ && s != Side::none) s = s == Side::left ? Side::right : Side::left;
    if (s != Side::none) {
        static const std::array<std::array<const char*, 2>, 8> marks{{{"l", "r"},
                                                                      {"L", "R"},
                                                                      {"left", "right"},
                                                                      {"Left", "Right"},
                                                                      {"l", "r"},
                                                                      {"lf", "rt"},
                                                                      {"L", "R"},
                                                                      {"left", "right"}}};
        side = marks[size_t(sides_)][s == Side::left ? 0 : 1];
    }
    const bool is_first = sides_ < 4;
    std::string digits;
    if (number >= 0)
        digits = numbers_ == 0   ? fmt::format("{:02}", number)
                 : numbers_ == 1 ? std::to_string(number)
                 : numbers_ == 2 ? fmt::format("{:03}", number)
                                 : std::to_string(number - 1);
    if (label.segment > 0)
        digits += (digits.empty() ? "" : "_") + std::string(label.segment == 1   ? "a"
                                                            : label.segment == 2 ? "b"
                                                                                 : "c");
    const std::string joint = std::array<const char*, 4>{"_", ".", " ", ""}[size_t(joiner_)];
    std::string text;
    for (const std::string& word : words) {
        if (!text.empty() && joiner_ != 3 && word.size() > 1) text += joint;
        text += case_ == 0 && joiner_ != 3 ? word : capital(word);
    }
    if (!digits.empty()) text += (joiner_ == 3 ? "" : joint) + digits;
    const std::string mark_joint = joiner_ == 3 ? "_" : joint;
    if (!side.empty()) text = is_first ? side + mark_joint + text : text + mark_joint + side;
    if (!prefix_.empty()) text = prefix_ + (prefix_.ends_with(":") ? "" : joiner_ == 3 ? "_" : joint) + text;
    return text;
}

}  // namespace nb::test
