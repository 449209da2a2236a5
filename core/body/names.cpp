// Longer than other files: lists of words, one part of the body after the other.
#include "core/body/names.hpp"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <map>
#include <set>

namespace nb {

namespace {

const std::set<std::string, std::less<>>& known_words() {
    static const std::set<std::string, std::less<>> words = {
        "hip",      "hips",   "pelvis",     "femur",    "thigh",    "upleg",    "leg",      "knee",
        "shin",     "calf",   "tibia",      "ankle",    "foot",     "toe",      "toes",     "ball",
        "clavicle", "collar", "collarbone", "shoulder", "scapula",  "arm",      "humerus",  "bicep",
        "forearm",  "elbow",  "radius",     "ulna",     "hand",     "wrist",    "palm",     "thumb",
        "index",    "middle", "ring",       "little",   "pinky",    "pinkie",   "finger",   "fingers",
        "eye",      "brow",   "ear",        "upperarm", "lowerarm", "lowerleg", "upperleg", "hipjoint",
        "uparm",    "loarm",  "loleg",      "uleg",     "lleg",     "uarm",     "larm"};
    return words;
}

Side side_word(std::string_view word) {
    for (const auto* left :
         {"l", "left", "lf", "lft", "lt", "links", "linke", "linker", "gauche", "izquierda", "izquierdo",
          "izq", "sinistra", "sinistro", "sx", "esquerda", "hidari"})
        if (word == left) return Side::left;
    for (const auto* right : {"r", "right", "rt", "rgt", "rht", "rechts", "rechte", "rechter", "droite",
                              "droit", "derecha", "derecho", "destra", "destro", "dx", "direita", "migi"})
        if (word == right) return Side::right;
    return Side::none;
}

/// Words stuck together that stand for two.
const std::map<std::string, std::vector<std::string>, std::less<>>& joined_words() {
    static const std::map<std::string, std::vector<std::string>, std::less<>> joined = {
        {"upleg", {"up", "leg"}},
        {"upperleg", {"upper", "leg"}},
        {"lowerleg", {"lower", "leg"}},
        {"loleg", {"lower", "leg"}},
        {"uleg", {"upper", "leg"}},
        {"lleg", {"lower", "leg"}},
        {"uparm", {"up", "arm"}},
        {"upperarm", {"upper", "arm"}},
        {"lowerarm", {"lower", "arm"}},
        {"loarm", {"lower", "arm"}},
        {"uarm", {"upper", "arm"}},
        {"larm", {"lower", "arm"}},
        {"forearm", {"fore", "arm"}},
        {"hipjoint", {"hip", "joint"}},
        {"toebase", {"toe", "base"}},
        {"lowerback", {"lower", "back"}},
        {"collarbone", {"collar"}},
        {"handpalm", {"palm"}},
        {"ribcage", {"chest"}},
        {"backbone", {"spine"}},
        {"lumbar", {"spine"}},
        {"carpus", {"wrist"}},
        {"tarsus", {"ankle"}},
        {"skullbone", {"skull"}},
        // German
        {"schulter", {"shoulder"}},
        {"becken", {"pelvis"}},
        {"huefte", {"hips"}},
        {"oberschenkel", {"thigh"}},
        {"unterschenkel", {"shin"}},
        {"fuss", {"foot"}},
        {"zehe", {"toe"}},
        {"zehen", {"toe"}},
        {"wirbel", {"spine"}},
        {"wirbelsaeule", {"spine"}},
        {"brust", {"chest"}},
        {"hals", {"neck"}},
        {"nacken", {"neck"}},
        {"kopf", {"head"}},
        {"schluesselbein", {"clavicle"}},
        {"oberarm", {"upper", "arm"}},
        {"unterarm", {"lower", "arm"}},
        {"daumen", {"thumb"}},
        {"zeigefinger", {"index"}},
        {"mittelfinger", {"middle"}},
        {"ringfinger", {"ring"}},
        {"auge", {"eye"}},
        {"kiefer", {"jaw"}},
        // French
        {"epaule", {"shoulder"}},
        {"main", {"hand"}},
        {"jambe", {"leg"}},
        {"orteils", {"toe"}},
        {"bassin", {"pelvis"}},
        {"cuisse", {"thigh"}},
        {"mollet", {"shin"}},
        {"cheville", {"ankle"}},
        {"pied", {"foot"}},
        {"orteil", {"toe"}},
        {"colonne", {"spine"}},
        {"poitrine", {"chest"}},
        {"cou", {"neck"}},
        {"tete", {"head"}},
        {"clavicule", {"clavicle"}},
        {"bras", {"arm"}},
        {"avantbras", {"lower", "arm"}},
        {"poignet", {"wrist"}},
        {"pouce", {"thumb"}},
        {"majeur", {"middle"}},
        {"annulaire", {"ring"}},
        {"auriculaire", {"little"}},
        // Spanish and Portuguese
        {"hombro", {"shoulder"}},
        {"pierna", {"leg"}},
        {"cadera", {"hips"}},
        {"muslo", {"thigh"}},
        {"coxa", {"thigh"}},
        {"pantorrilla", {"shin"}},
        {"pie", {"foot"}},
        {"columna", {"spine"}},
        {"pecho", {"chest"}},
        {"peito", {"chest"}},
        {"cuello", {"neck"}},
        {"cabeza", {"head"}},
        {"clavicula", {"clavicle"}},
        {"brazo", {"arm"}},
        {"antebrazo", {"lower", "arm"}},
        {"mano", {"hand"}},
        {"pulgar", {"thumb"}},
        {"indice", {"index"}},
        {"medio", {"middle"}},
        {"anular", {"ring"}},
        {"menique", {"little"}},
        // Italian
        {"spalla", {"shoulder"}},
        {"gamba", {"leg"}},
        {"bacino", {"pelvis"}},
        {"coscia", {"thigh"}},
        {"polpaccio", {"shin"}},
        {"piede", {"foot"}},
        {"schiena", {"spine"}},
        {"petto", {"chest"}},
        {"collo", {"neck"}},
        {"testa", {"head"}},
        {"clavicola", {"clavicle"}},
        {"braccio", {"arm"}},
        {"avambraccio", {"lower", "arm"}},
        {"pollice", {"thumb"}},
        {"anulare", {"ring"}},
        {"mignolo", {"little"}},
        // Japanese in Latin letters
        {"koshi", {"hips"}},
        {"futomomo", {"thigh"}},
        {"sune", {"shin"}},
        {"ashikubi", {"ankle"}},
        {"mune", {"chest"}},
        {"kubi", {"neck"}},
        {"atama", {"head"}},
        {"sakotsu", {"clavicle"}},
        {"hiji", {"elbow"}},
        {"tekubi", {"wrist"}},
        {"oyayubi", {"thumb"}},
        {"hitosashi", {"index"}},
        {"nakayubi", {"middle"}},
        {"kusuriyubi", {"ring"}},
        {"koyubi", {"little"}}};
    return joined;
}

bool is_upper(char c) {
    return c >= 'A' && c <= 'Z';
}
bool is_lower(char c) {
    return c >= 'a' && c <= 'z';
}
bool is_digit(char c) {
    return c >= '0' && c <= '9';
}

}  // namespace

bool BoneWords::has(std::string_view word) const {
    return std::find(words.begin(), words.end(), word) != words.end();
}

BoneWords read_bone_name(std::string_view name) {
    const size_t space = name.find_last_of(":|");
    if (space != std::string_view::npos && space + 1 < name.size()) name.remove_prefix(space + 1);

    std::vector<std::string> pieces;
    std::string piece;
    const auto flush = [&] {
        if (!piece.empty()) pieces.push_back(piece);
        piece.clear();
    };
    for (size_t i = 0; i < name.size(); ++i) {
        const char c = name[i];
        const char before = i > 0 ? name[i - 1] : '\0';
        const char after = i + 1 < name.size() ? name[i + 1] : '\0';
        const bool is_letter = is_upper(c) || is_lower(c) || static_cast<unsigned char>(c) >= 128;
        if (!is_letter && !is_digit(c)) {
            flush();
            continue;
        }
        const bool starts_word = (is_upper(c) && is_lower(before)) ||
                                 (is_upper(c) && is_upper(before) && is_lower(after)) ||
                                 (is_digit(c) != is_digit(before) && i > 0);
        if (starts_word) flush();
        piece += is_upper(c) ? char(c - 'A' + 'a') : c;
    }
    flush();

    BoneWords result;
    const auto add_word = [&result](const std::string& word) {
        const auto joined = joined_words().find(word);
        if (joined == joined_words().end())
            result.words.push_back(word);
        else
            result.words.insert(result.words.end(), joined->second.begin(), joined->second.end());
    };
    for (const std::string& word : pieces) {
        if (is_digit(word[0])) {
            result.number = std::atoi(word.substr(0, 6).c_str());
            result.digits.push_back(word);
            continue;
        }
        const Side side = side_word(word);
        if (side != Side::none) {
            result.side = side;
            continue;
        }
        bool is_split = false;
        if (!known_words().contains(word) && !joined_words().contains(word)) {
            for (const auto& [mark, mark_side] : std::map<std::string, Side>{
                     {"left", Side::left}, {"right", Side::right}, {"l", Side::left}, {"r", Side::right}}) {
                if (is_split || word.size() <= mark.size()) continue;
                const auto known = [](const std::string& rest) {
                    return known_words().contains(rest) || joined_words().contains(rest);
                };
                const std::string after_mark = word.substr(mark.size());
                const std::string before_mark = word.substr(0, word.size() - mark.size());
                if (word.starts_with(mark) && known(after_mark)) {
                    result.side = mark_side;
                    add_word(after_mark);
                    is_split = true;
                } else if (word.ends_with(mark) && known(before_mark)) {
                    result.side = mark_side;
                    add_word(before_mark);
                    is_split = true;
                }
            }
        }
        if (!is_split) add_word(word);
    }
    return result;
}

double name_fit(std::string_view part, const BoneWords& w) {
    const auto any = [&w](std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(), [&w](const char* word) { return w.has(word); });
    };
    const bool is_upper_part = any({"up", "upper"});
    const bool is_lower_part = any({"lower", "low", "lo", "fore"});
    const bool is_sided = w.side != Side::none;
    // Joints of the hand by their number, thumb 1 to little 5 (ISO/IEC 19774-1; from memory).
    if (any({"carpometacarpal", "metacarpophalangeal", "interphalangeal"})) {
        static constexpr std::array<std::string_view, 5> digits{"thumb", "index", "middle", "ring", "little"};
        return w.number >= 1 && w.number <= 5 && part == digits[size_t(w.number) - 1] ? 1.0 : 0.0;
    }
    if (part == "hips")
        return any({"hips", "pelvis", "humanoid"})  ? 1.0
               : any({"hip", "waist"}) && !is_sided ? 0.9
               : any({"root", "body", "cog"})       ? 0.4
                                                    : 0.0;
    if (part == "thigh") {
        if (any({"thigh", "femur", "ham", "hamstring"}) || (w.has("leg") && is_upper_part)) return 1.0;
        if (w.has("hip") && w.has("joint")) return 0.3;
        if (w.has("hip") && is_sided) return 0.7;
        return w.has("leg") && !is_lower_part ? 0.45 : 0.0;
    }
    if (part == "shin") {
        if (any({"shin", "calf", "tibia"}) || (w.has("leg") && is_lower_part)) return 1.0;
        if (w.has("knee")) return 0.9;
        return w.has("leg") && !is_upper_part ? 0.6 : 0.0;
    }
    if (part == "foot") return w.has("foot") ? 1.0 : w.has("ankle") ? 0.9 : 0.0;
    if (part == "toe")
        return any({"toe", "toes", "hallux"}) || (any({"dedos", "punta"}) && w.has("foot")) ? 1.0
               : w.has("punta")                                                             ? 0.6
               : any({"ball", "metatarsal"})                                                ? 0.9
               : w.has("midtarsal")                                                         ? 0.6
                                                                                            : 0.0;
    if (part == "clavicle") {
        if (any({"clavicle", "collar", "clav", "sternoclavicular"})) return 1.0;
        return any({"scapula", "acromioclavicular"}) ? 0.8 : w.has("shoulder") ? 0.6 : 0.0;
    }
    if (part == "upperarm") {
        if (any({"humerus", "bicep"}) || (w.has("arm") && is_upper_part)) return 1.0;
        if (w.has("arm") && !is_lower_part) return 0.6;
        return w.has("shoulder") ? 0.55 : 0.0;
    }
    if (part == "forearm") {
        if (any({"radius"}) || (w.has("arm") && is_lower_part)) return 1.0;
        if (w.has("elbow")) return 0.9;
        return w.has("ulna") ? 0.8 : w.has("arm") && !is_upper_part ? 0.3 : 0.0;
    }
    if (part == "hand") return w.has("hand") ? 1.0 : w.has("wrist") ? 0.9 : w.has("palm") ? 0.5 : 0.0;
    if (part == "chest")
        return any({"chest", "thorax", "ribs", "rib"}) || (w.has("breast") && !is_sided) ? 1.0
               : any({"spine", "torso", "back", "vt"})                                   ? 0.8
                                                                                         : 0.0;
    if (part == "spine")
        return any({"spine", "back", "abdomen", "belly", "lumbar", "torso", "waist", "vl", "vt"}) ? 1.0
               : any({"chest", "thorax", "ribs"})                                                 ? 0.8
                                                                                                  : 0.0;
    if (part == "neck") return any({"neck", "cervical", "vc"}) ? 1.0 : 0.0;
    if (part == "head") return any({"head", "skull", "skullbase"}) ? 1.0 : 0.0;
    if (part == "thumb") return w.has("thumb") ? 1.0 : 0.0;
    if (part == "index") return any({"index", "pointer"}) ? 1.0 : 0.0;
    if (part == "middle") return any({"middle", "mid"}) ? 1.0 : any({"finger", "fingers"}) ? 0.45 : 0.0;
    if (part == "ring") return w.has("ring") ? 1.0 : 0.0;
    if (part == "little") return any({"little", "pinky", "pinkie"}) ? 1.0 : 0.0;
    if (part == "eye") return w.has("eye") ? 1.0 : 0.0;
    if (part == "jaw") return any({"jaw", "chin", "temporomandibular"}) ? 1.0 : 0.0;
    return 0.0;
}

std::string helper_reason(const BoneWords& words) {
    static const std::map<std::string, std::string> reasons = {
        {"twist", "twist"},     {"roll", "twist"},    {"end", "end"},         {"nub", "end"},
        {"tip", "end"},         {"site", "end"},      {"ik", "control"},      {"ctrl", "control"},
        {"pole", "control"},    {"goal", "control"},  {"target", "control"},  {"helper", "helper"},
        {"dummy", "helper"},    {"prop", "prop"},     {"lantern", "prop"},    {"tag", "helper"},
        {"null", "helper"},     {"attach", "helper"}, {"socket", "helper"},   {"marker", "helper"},
        {"control", "control"}, {"ctl", "control"},   {"footsteps", "helper"}};
    for (const auto& word : words.words)
        if (const auto it = reasons.find(word); it != reasons.end()) return it->second;
    return {};
}

std::string other_part(const BoneWords& words) {
    static const std::map<std::string, std::string, std::less<>> others = {
        {"tail", "tail"},     {"wing", "wing"},    {"feather", "wing"},  {"skirt", "skirt"},
        {"dress", "skirt"},   {"cape", "cape"},    {"cloak", "cape"},    {"coat", "cape"},
        {"hair", "hair"},     {"braid", "hair"},   {"ponytail", "hair"}, {"mane", "hair"},
        {"bang", "hair"},     {"strap", "strap"},  {"belt", "strap"},    {"pouch", "strap"},
        {"sword", "weapon"},  {"blade", "weapon"}, {"knife", "weapon"},  {"gun", "weapon"},
        {"rifle", "weapon"},  {"bow", "weapon"},   {"shield", "weapon"}, {"weapon", "weapon"},
        {"staff", "weapon"},  {"axe", "weapon"},   {"hammer", "weapon"}, {"ear", "ear"},
        {"ears", "ear"},      {"horn", "horn"},    {"antler", "horn"},   {"beak", "face"},
        {"tongue", "face"},   {"teeth", "face"},   {"lip", "face"},      {"brow", "face"},
        {"eyebrow", "face"},  {"eyelid", "face"},  {"lid", "face"},      {"cheek", "face"},
        {"nose", "face"},     {"mouth", "face"},   {"beard", "face"},    {"bust", "bust"},
        {"boob", "bust"},     {"heel", "heel"},    {"ilium", "pelvis"},  {"crotch", "pelvis"},
        {"pad", "pad"},       {"pauldron", "pad"}, {"hat", "hat"},       {"helmet", "hat"},
        {"camera", "camera"}, {"fin", "fin"},      {"muscle", "muscle"}};
    if (words.has("breast") && words.side != Side::none) return "bust";
    for (const auto& word : words.words) {
        if (const auto at = others.find(word); at != others.end()) return at->second;
        if (word.ends_with('s'))
            if (const auto at = others.find(std::string_view(word).substr(0, word.size() - 1));
                at != others.end())
                return at->second;
    }
    return {};
}

namespace {

constexpr std::array<std::string_view, part_count> part_names{
    "hips",  "thigh", "shin", "foot",  "toe",   "clavicle", "upperarm", "forearm", "hand", "chest",
    "spine", "neck",  "head", "thumb", "index", "middle",   "ring",     "little",  "eye",  "jaw"};

}  // namespace

int part_index(std::string_view part) {
    const auto at = std::find(part_names.begin(), part_names.end(), part);
    return at == part_names.end() ? -1 : int(at - part_names.begin());
}

/// What nearly all names share says nothing.
void NameTable::drop_shared_words() {
    std::map<std::string, size_t> counts;
    for (const BoneWords& w : words_)
        for (const std::string& word : std::set<std::string>(w.words.begin(), w.words.end())) ++counts[word];
    // Bones that are only numbered ("bone 12") are not asked.
    size_t asked = 0;
    for (const BoneWords& w : words_)
        asked += !w.words.empty() &&
                 !(w.words.size() == 1 && w.side == Side::none && 6 * counts[w.words[0]] > words_.size());
    if (words_.size() < 6) return;
    for (const auto& [word, count] : counts) {
        if (count < 6 || 5 * count < 4 * asked) continue;
        for (BoneWords& w : words_) std::erase(w.words, word);
    }
}

/// One word for several bones of a limb ("arm", "arm 1", "arm 2"): which of them is which the body says.
void NameTable::read_series(const Skeleton& skeleton) {
    const auto is_same = [&](size_t a, size_t b) {
        return !words_[a].words.empty() && words_[a].words == words_[b].words &&
               words_[a].side == words_[b].side && words_[a].digits != words_[b].digits;
    };
    for (const auto& [word, parts] :
         std::initializer_list<std::pair<const char*, std::vector<std::string_view>>>{
             {"arm", {"clavicle", "upperarm", "forearm"}}, {"leg", {"thigh", "shin"}}}) {
        for (size_t j = 0; j < words_.size(); ++j) {
            if (words_[j].words != std::vector<std::string>{word}) continue;
            bool is_series = skeleton.parents[j] >= 0 && is_same(j, size_t(skeleton.parents[j]));
            for (size_t c = j + 1; c < words_.size(); ++c)
                is_series |= skeleton.parents[c] == int(j) && is_same(j, c);
            if (!is_series) continue;
            for (const std::string_view part : parts) fit_[j][size_t(part_index(part))] = 0.6;
        }
    }
}

/// "finger 0" ... "finger 4", or 1 ... 5, where 0 (or 1) is the thumb; a second digit counts the links.
void NameTable::read_numbered_fingers(const Skeleton& skeleton) {
    static const size_t thumb = size_t(part_index("thumb"));
    std::map<int, int> count;  // of first bones below one parent, by number
    bool has_zero = false;
    int most = -1;
    const auto first_digit = [&](size_t j) {
        const BoneWords& w = words_[j];
        if (!(w.has("finger") || w.has("fingers")) || w.words.size() != 1 || w.digits.empty()) return -1;
        return int(w.digits.front()[0] - '0');
    };
    for (size_t j = 0; j < words_.size(); ++j) {
        const int d = first_digit(j);
        if (d < 0) continue;
        const int parent = skeleton.parents[j];
        if (parent >= 0 && first_digit(size_t(parent)) == d) continue;
        // Numbers that go on along a chain count its links.
        if (parent >= 0 && first_digit(size_t(parent)) >= 0) return;
        has_zero |= d == 0;
        most = std::max(most, d);
        ++count[d];
    }
    if (count.size() < 2 || most > 5) return;
    for (size_t j = 0; j < words_.size(); ++j) {
        const int d = first_digit(j);
        const int finger = has_zero ? d : d - 1;
        if (d < 0 || finger < 0 || finger > 4) continue;
        // One beside the thumb is all fingers in one.
        const int named = count.size() == 2 && finger == 1 ? 2 : finger;
        for (size_t f = 0; f < 5; ++f) fit_[j][thumb + f] = int(f) == named ? 0.85 : 0.0;
    }
}

void NameTable::find_pieces(const Skeleton& skeleton) {
    const auto letter = [](const BoneWords& w) {
        return !w.words.empty() && w.words.back().size() == 1 ? w.words.back()[0] : '\0';
    };
    is_piece_.assign(words_.size(), 0);
    for (size_t j = 0; j < words_.size(); ++j) {
        const int parent = skeleton.parents[j];
        if (parent < 0) continue;
        const BoneWords& a = words_[size_t(parent)];
        const BoneWords& b = words_[j];
        if (a.side != b.side || b.words.empty()) continue;
        const char la = letter(a);
        const char lb = letter(b);
        const bool is_next_letter = la >= 'a' && lb == la + 1 && a.words.size() == b.words.size() &&
                                    std::equal(a.words.begin(), a.words.end() - 1, b.words.begin()) &&
                                    a.digits == b.digits;
        const bool is_next_number =
            a.words == b.words && a.digits.size() >= 2 && a.digits.size() == b.digits.size() &&
            std::equal(a.digits.begin(), a.digits.end() - 1, b.digits.begin()) && b.number == a.number + 1;
        is_piece_[j] = is_next_letter || is_next_number;
    }
}

NameTable::NameTable(const Skeleton& skeleton, bool is_ignored) {
    const size_t n = skeleton.names.size();
    words_.resize(n);
    helper_.resize(n);
    other_.resize(n);
    is_piece_.assign(n, 0);
    side_.assign(n, Side::none);
    fit_.assign(n, {});
    if (is_ignored) return;
    static const int thumb = part_index("thumb");
    static const int hand = part_index("hand");
    static const int foot = part_index("foot");
    static const int toe = part_index("toe");
    for (size_t j = 0; j < n; ++j) words_[j] = read_bone_name(skeleton.names[j]);
    drop_shared_words();
    for (size_t j = 0; j < n; ++j) {
        helper_[j] = helper_reason(words_[j]);
        other_[j] = other_part(words_[j]);
        const int parent = skeleton.parents[j];
        side_[j] = words_[j].side != Side::none ? words_[j].side
                   : parent >= 0                ? side_[size_t(parent)]
                                                : Side::none;
        auto& fit = fit_[j];
        for (size_t part = 0; part < part_count; ++part) fit[part] = name_fit(part_names[part], words_[j]);
        // A finger's name may hold the hand's, a toe's the foot's.
        const double finger = *std::max_element(fit.begin() + thumb, fit.begin() + thumb + 5);
        if (finger > 0.4) fit[size_t(hand)] *= 0.2;
        if (fit[size_t(toe)] > 0.8) fit[size_t(foot)] *= 0.2;
        // A tail's or a wing's name may hold any part's.
        if (!other_[j].empty())
            for (double& own : fit) own *= 0.2;
    }
    read_series(skeleton);
    read_numbered_fingers(skeleton);
    find_pieces(skeleton);
    for (size_t j = 0; j < n; ++j)
        says_ += helper_[j].empty() && *std::max_element(fit_[j].begin(), fit_[j].end()) >= 0.3;
}

std::string_view NameTable::best_part(int joint) const {
    const auto& fit = fit_[size_t(joint)];
    const auto best = std::max_element(fit.begin(), fit.end());
    return *best < 0.3 ? std::string_view() : part_names[size_t(best - fit.begin())];
}

double NameTable::cost(int part, int joint) const {
    if (part < 0) return 0.0;
    if (!helper_[size_t(joint)].empty()) return 2.5;
    const auto& fit = fit_[size_t(joint)];
    if (!other_[size_t(joint)].empty()) return 1.8;
    const double best = *std::max_element(fit.begin(), fit.end());
    if (best < 0.3) return 0.0;
    const double own = fit[size_t(part)];
    return 1.6 * (best - own) - 1.2 * own;
}

}  // namespace nb
