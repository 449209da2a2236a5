#include "core/batch/take_account.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <numbers>
#include <set>

#include "core/base/files.hpp"
#include "core/batch/inputs.hpp"
#include "core/body/measures.hpp"
#include "core/contact/contacts.hpp"
#include "core/contact/touches.hpp"
#include "core/documents/format.hpp"
#include "core/motion/heading.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

/// What is looked at, frame by frame, at 175 cm.
class Account {
  public:
    explicit Account(const LoadedFile& source)
        : c_(source.character),
          take_(*source.take),
          motion_(forward_kinematics(c_.rig.skeleton, take_)),
          dt_(take_.frame_time_s),
          first_(take_.first_motion_frame) {
        scale_ = reference_stature_m / std::max(1e-6, stature(c_.rig.skeleton, c_.roles));
    }

    TakeAccount made() {
        TakeAccount account;
        account.frames = take_.frames;
        account.seconds = take_.frames * dt_;
        if (take_.frames - first_ < 2) return account;
        contacts_ = take_.contacts.is_by_hand ? take_.contacts : find_contacts(c_, motion_, dt_, first_);
        measure();
        account.travel_m = travel_m_ / scale_;
        const auto add = [&](bool is_so, const char* word) {
            if (is_so) account.moves.emplace_back(word);
        };
        add(walks_s_ >= 2.0, "walks");
        add(runs(), "runs");
        add(stands_s_ >= 0.5 * account.seconds, "stands");
        add(turns(), "turns");
        add(climbs(), "climbs");
        add(jumps(), "jumps");
        add(crouches_s_ >= 0.5, "crouches");
        add(treads(), "treads");
        tell_touches(account);
        return account;
    }

  private:
    const Character& c_;
    const Take& take_;
    const WorldMotion motion_;
    const double dt_;
    const int first_;
    double scale_ = 1.0;
    BodyLines lines_;
    Contacts contacts_;
    std::vector<Vec3> hips_;
    std::vector<double> speed_, level_;
    std::vector<char> left_, right_;  ///< the foot is on the floor
    double standing_ = 0.0, travel_m_ = 0.0;
    double walks_s_ = 0.0, runs_s_ = 0.0, races_s_ = 0.0, flies_s_ = 0.0, stands_s_ = 0.0, crouches_s_ = 0.0;

    bool is_off(size_t f) const { return !left_[f] && !right_[f]; }

    void measure() {
        lines_ = {c_.roles.joint("thigh.left"), c_.roles.joint("thigh.right"),
                  c_.roles.joint("upperarm.left"), c_.roles.joint("upperarm.right")};
        const auto frames = size_t(motion_.frames);
        hips_.resize(frames);
        for (size_t f = 0; f < frames; ++f) hips_[f] = scale_ * hip_centre(motion_, lines_, int(f));
        const auto flat = [](Vec3 v) {
            v.y() = 0.0;
            return v;
        };
        const int reach = std::max(1, int(std::lround(0.25 / dt_)));
        speed_.assign(frames, 0.0);
        for (int f = first_; f < motion_.frames; ++f) {
            const int from = std::max(first_, f - reach), to = std::min(motion_.frames - 1, f + reach);
            if (to > from)
                speed_[size_t(f)] =
                    flat(hips_[size_t(to)] - hips_[size_t(from)]).norm() / ((to - from) * dt_);
        }
        left_.assign(frames, 0);
        right_.assign(frames, 0);
        for (const Contact& contact : contacts_.list) {
            if (contact.is_touch()) continue;
            std::vector<char>& foot = contact.point.ends_with(".left") ? left_ : right_;
            for (int f = std::max(0, contact.first); f < std::min(motion_.frames, contact.last); ++f)
                foot[size_t(f)] = 1;
        }
        find_levels();
        std::vector<double> heights;
        for (size_t f = size_t(first_); f < frames; ++f) heights.push_back(hips_[f].y() - level_[f]);
        const auto high = heights.begin() + std::ptrdiff_t(0.9 * double(heights.size() - 1));
        std::nth_element(heights.begin(), high, heights.end());
        standing_ = *high;
        // Travel counts beyond sway: in steps of a tenth of a metre.
        Vec3 at = flat(hips_[size_t(first_)]);
        for (size_t f = size_t(first_); f < frames; ++f)
            if (const Vec3 now = flat(hips_[f]); (now - at).norm() > 0.1) {
                travel_m_ += (now - at).norm();
                at = now;
            }
        for (size_t f = size_t(first_); f < frames; ++f) {
            const double height = hips_[f].y() - level_[f];
            if (speed_[f] > 0.3 && speed_[f] < 2.0 && !is_off(f)) walks_s_ += dt_;
            if (speed_[f] > 1.8) runs_s_ += dt_;
            if (speed_[f] > 1.8 && is_off(f)) flies_s_ += dt_;
            if (speed_[f] > 2.5) races_s_ += dt_;
            if (speed_[f] < 0.15 && height > 0.85 * standing_) stands_s_ += dt_;
            if (height < 0.72 * standing_) crouches_s_ += dt_;
        }
    }
    /// The level under the body: the lower one of those its feet rest on, else the last one.
    void find_levels() {
        level_.assign(hips_.size(), 1e30);
        for (const Contact& contact : contacts_.list)
            if (!contact.is_touch())
                for (int f = std::max(0, contact.first); f < std::min(motion_.frames, contact.last); ++f)
                    level_[size_t(f)] = std::min(level_[size_t(f)], scale_ * contact.level_m);
        const auto known =
            std::find_if(level_.begin(), level_.end(), [](double level) { return level < 1e29; });
        double last = known == level_.end() ? 0.0 : *known;
        for (double& level : level_) last = level = level < 1e29 ? level : last;
    }
    bool runs() const { return (runs_s_ >= 0.5 && flies_s_ >= 0.1 * runs_s_) || races_s_ >= 0.5; }
    bool turns() const {
        const std::vector<double> a = headings(motion_, lines_, dt_, first_);
        const int within = std::max(1, int(std::lround(3.0 / dt_)));
        for (int f = first_; f < motion_.frames; ++f)
            if (const int to = std::min(motion_.frames - 1, f + within);
                std::abs(a[size_t(to)] - a[size_t(f)]) > 100.0 * std::numbers::pi / 180.0)
                return true;
        return false;
    }
    bool climbs() const {
        std::set<double> levels;
        for (const Contact& contact : contacts_.list)
            if (!contact.is_touch()) levels.insert(scale_ * contact.level_m);
        return !levels.empty() && *levels.rbegin() - *levels.begin() >= 0.25;
    }
    bool jumps() const {
        const auto least = size_t(std::max(1L, std::lround(0.2 / dt_)));
        for (size_t f = size_t(first_); f < hips_.size();) {
            size_t end = f;
            while (end < hips_.size() && is_off(end)) ++end;
            // Not where a take begins or ends in the air.
            if (end - f >= least && f > size_t(first_) && end < hips_.size()) {
                double top = -1e30, fastest = 0.0;
                for (size_t i = f; i < end; ++i) {
                    top = std::max(top, hips_[i].y());
                    fastest = std::max(fastest, speed_[i]);
                }
                if (fastest < 2.5 && top - std::min(hips_[f].y(), hips_[end].y()) > 0.08) return true;
            }
            f = end + 1;
        }
        return false;
    }
    bool treads() const {
        int left = 0, right = 0;
        for (size_t f = size_t(first_) + 1; f < hips_.size(); ++f) {
            left += left_[f] && !left_[f - 1] ? 1 : 0;
            right += right_[f] && !right_[f - 1] ? 1 : 0;
        }
        return left >= 4 && right >= 4 && travel_m_ < 1.0;
    }
    void tell_touches(TakeAccount& account) const {
        if (std::any_of(contacts_.list.begin(), contacts_.list.end(),
                        [](const auto& c) { return !c.is_touch(); }))
            account.touches.emplace_back("feet");
        bool hands = false, things = false, body = false;
        std::set<std::string> held;
        for (const Contact& touch : hand_marks(c_, take_).touches) {
            if (!touch.is_sure_touch() || !is_of_hand(touch.point)) continue;
            hands = true;
            const bool is_role = !c_.roles.plan.empty() && c_.roles.joint(touch.on) >= 0;
            if (is_role) body = true;
            if (!is_role && !touch.is_place()) {
                things = true;
                held.insert(touch.on);
            }
        }
        if (hands) account.touches.emplace_back("hands");
        if (things) account.touches.emplace_back("things");
        if (body) account.touches.emplace_back("body");
        account.things.assign(held.begin(), held.end());
    }
};

std::string place_of(const Library& library, const LibraryEntry& take) {
    return (fs::path(library.folder) / "accounts" / (take.name + ".json")).string();
}

Json stamps_of(const LibraryEntry& take) {
    Json stamps = Json::array();
    for (const std::string& path : {take.path, take.document}) {
        if (path.empty()) continue;
        const FileStamp stamp = stamp_of(path);
        stamps.push_back(fmt::format("{} {}", stamp.size, stamp.changed_ns));
    }
    return stamps;
}

}  // namespace

bool TakeAccount::has(const std::string& word) const {
    for (const auto* list : {&moves, &touches, &things})
        if (std::find(list->begin(), list->end(), word) != list->end()) return true;
    return false;
}

void put_account(Json& json, const TakeAccount& account) {
    json["seconds"] = canonical(account.seconds);
    json["travel_m"] = canonical(account.travel_m);
    json["moves"] = account.moves;
    json["touches"] = account.touches;
    json["things"] = account.things;
    if (!account.why.empty()) json["why"] = account.why;
}

TakeAccount account_of(const LoadedFile& source) {
    std::string why;
    if (!source.take || !can_be_transferred(source.character.roles, why)) {
        TakeAccount account;
        account.why = source.take ? why : "holds no motion";
        return account;
    }
    return Account(source).made();
}

bool find_account(const Library& library, const LibraryEntry& take, TakeAccount& account) {
    try {
        const std::string path = place_of(library, take);
        const Json document = read_document(path, "account");
        if (!document.contains("of") || document["of"] != stamps_of(take)) return false;
        account = {};
        account.frames = int(number_in(document, "frames", 0.0, double(frame_limit), path));
        account.seconds = number_in(document, "seconds", 0.0, 1e9, path);
        account.travel_m = number_in(document, "travel_m", 0.0, 1e9, path);
        account.moves = texts_or_none(document, "moves", path);
        account.touches = texts_or_none(document, "touches", path);
        account.things = texts_or_none(document, "things", path);
        account.why = text_in(document, "why", "", path);
        return true;
    } catch (const std::exception&) {  // missing, or not one: made anew
        return false;
    }
}

TakeAccount account_in(const Library& library, const LibraryEntry& take) {
    TakeAccount account;
    if (find_account(library, take, account)) return account;
    Json document = document_header("account", take.name);
    document["of"] = stamps_of(take);
    try {
        std::vector<std::string> notes;
        account = account_of(load_take(take.document.empty() ? take.path : take.document, "", notes));
    } catch (const std::exception& fault) {
        account.why = fault.what();
    }
    document["frames"] = account.frames;
    put_account(document, account);
    try {
        const std::string path = place_of(library, take);
        std::error_code error;
        fs::create_directories(fs::path(path).parent_path(), error);
        write_file_soon(path, format_document(document));
    } catch (const std::exception&) {  // a folder that cannot be written keeps none
    }
    return account;
}

}  // namespace nb
