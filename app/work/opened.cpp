#include "app/work/opened.hpp"

#include <algorithm>
#include <utility>

namespace nb {

namespace {

const Opened nothing;
constexpr size_t most_recent = 8;

}  // namespace

const Opened* OpenFiles::find(const DocumentKey& key) const {
    if (is_limbering(key)) return &*limbering_;
    const auto at = files_.find(key);
    return at == files_.end() ? nullptr : &at->second;
}

const Opened& OpenFiles::chosen(bool as_target) const {
    const auto at = files_.find(stage_[as_target]);
    return at == files_.end() ? nothing : at->second;
}

const Opened& OpenFiles::on_stage(bool as_target) const {
    return !as_target && limbering_ ? *limbering_ : chosen(as_target);
}

bool OpenFiles::is_on_stage(const DocumentKey& key, bool as_target) const {
    const Opened& there = on_stage(as_target);
    return there.body && there.key == key;
}

void OpenFiles::put(Opened opened) {
    const DocumentKey key = opened.key;
    files_.insert_or_assign(key, std::move(opened));
}

void OpenFiles::show(Opened opened, bool as_target) {
    if (!as_target) limbering_.reset();
    stage_[as_target] = opened.key;
    std::erase(recent_, opened.key);
    recent_.push_back(opened.key);
    if (recent_.size() > most_recent) recent_.erase(recent_.begin());
    put(std::move(opened));
    let_go();
}

void OpenFiles::stand_in(const Opened& now, bool as_target) {
    put(now);
    stage_[as_target] = now.key;
}

void OpenFiles::untouch(const DocumentKey& key) {
    const auto at = files_.find(key);
    if (at == files_.end()) return;
    at->second.is_touched = false;
    let_go();
}

void OpenFiles::hold(std::set<DocumentKey> keys) {
    held_ = std::move(keys);
    let_go();
}

void OpenFiles::edit_all(const std::function<void(Opened&)>& edit) {
    std::map<DocumentKey, Opened> renewed;
    std::array<DocumentKey, 2> stage = stage_;
    std::vector<DocumentKey> recent = recent_;
    for (auto& [key, opened] : files_) {
        edit(opened);
        for (const bool as_target : {false, true})
            if (stage_[as_target] == key) stage[as_target] = opened.key;
        std::replace(recent.begin(), recent.end(), key, opened.key);
        if (held_.erase(key)) held_.insert(opened.key);
        renewed.insert_or_assign(opened.key, std::move(opened));
    }
    files_ = std::move(renewed);
    stage_ = stage;
    recent_ = recent;
}

void OpenFiles::end_limbering() {
    std::optional<Opened> shipped = std::exchange(limbering_, {});
    if (shipped && !chosen(false).body) show(std::move(*shipped), false);
}

void OpenFiles::let_go() {
    std::erase_if(files_, [this](const auto& file) {
        return !file.second.is_touched && file.first != stage_[0] && file.first != stage_[1] &&
               !held_.contains(file.first) &&
               std::find(recent_.begin(), recent_.end(), file.first) == recent_.end();
    });
}

}  // namespace nb
