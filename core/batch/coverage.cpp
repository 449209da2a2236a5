#include "core/batch/coverage.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>
#include <unordered_map>

#include "core/base/csv.hpp"
#include "core/base/text_encoding.hpp"
#include "core/batch/take_account.hpp"

namespace nb {

namespace {

const char* state_of(const CoverageCell& cell) {
    switch (cell.state) {
        case CoverageCell::State::not_tried:
            return "not tried";
        case CoverageCell::State::failed:
            return "failed";
        case CoverageCell::State::carried:
            return cell.share > 1.0F ? "outside" : "inside";
    }
    return "";
}

void add(CoverageCount& count, const CoverageCell& cell) {
    if (cell.state == CoverageCell::State::not_tried) {
        ++count.not_tried;
        return;
    }
    if (cell.state == CoverageCell::State::carried) count.worst = std::max(count.worst, cell.share);
    if (cell.is_stale)
        ++count.stale;
    else if (cell.is_accepted)
        ++count.accepted;
    else if (cell.state == CoverageCell::State::failed)
        ++count.failed;
    else
        ++(cell.share > 1.0F ? count.outside : count.inside);
}

/// Texts and names, each once.
class Words {
  public:
    explicit Words(std::vector<std::string>& all) : all_(all) {}
    int at(const std::string& word) {
        if (word.empty()) return -1;
        const auto [found, is_new] = known_.emplace(word, int(all_.size()));
        if (is_new) all_.push_back(word);
        return found->second;
    }

  private:
    std::vector<std::string>& all_;
    std::unordered_map<std::string, int> known_;
};

}  // namespace

const std::string& Coverage::text_of(const CoverageCell& cell) const {
    static const std::string none;
    return cell.text < 0 ? none : texts[size_t(cell.text)];
}

CoverageCount Coverage::count_of_take(size_t take) const {
    CoverageCount count;
    for (size_t c = 0; c < characters.size(); ++c) add(count, at(take, c));
    return count;
}

CoverageCount Coverage::count_of_character(size_t character) const {
    CoverageCount count;
    for (size_t t = 0; t < takes.size(); ++t) add(count, at(t, character));
    return count;
}

CoverageCount Coverage::count() const {
    CoverageCount count;
    for (const CoverageCell& cell : cells) add(count, cell);
    return count;
}

bool Coverage::fits(size_t take, size_t character) const {
    return plans_agree(takes[take].plan, characters[character].plan);
}

Coverage coverage_of(const Library& library, Ledger& ledger) {
    Coverage coverage;
    LibraryInputs inputs(library, ledger.hashes());
    std::error_code error;
    const bool has_accounts =
        std::filesystem::exists(std::filesystem::path(library.folder) / "accounts", error);
    for (size_t t = 0; t < library.takes.size(); ++t) {
        const LibraryInputs::Side& side = inputs.take(t);
        coverage.takes.push_back({library.takes[t].name, side.name, side.plan, side.tags, {}, {}});
        if (has_accounts)
            if (TakeAccount account; find_account(library, library.takes[t], account))
                coverage.takes.back().moves = fmt::format("{}", fmt::join(account.moves, ", "));
    }
    for (size_t c = 0; c < library.characters.size(); ++c) {
        const LibraryInputs::Side& side = inputs.character(c);
        coverage.characters.push_back(
            {library.characters[c].name, side.name, side.plan, side.tags, side.family, {}});
    }
    for (auto* side : {&coverage.takes, &coverage.characters})
        for (CoverageSide& one : *side)
            if (one.shown.empty()) one.shown = one.name;
    coverage.cells.resize(coverage.takes.size() * coverage.characters.size());
    Words measures(coverage.measures), texts(coverage.texts);
    for (size_t t = 0; t < coverage.takes.size(); ++t)
        for (size_t c = 0; c < coverage.characters.size(); ++c) {
            const std::string key = Ledger::key_of({coverage.takes[t].name, coverage.characters[c].name});
            const auto found = ledger.briefs().find(key);
            const auto accepted = ledger.accepted().find(key);
            if (found == ledger.briefs().end() && accepted == ledger.accepted().end()) continue;
            const std::string now = inputs.word_of_pair(t, c);
            CoverageCell& cell = coverage.cells[t * coverage.characters.size() + c];
            cell.is_accepted = accepted != ledger.accepted().end() && accepted->second.word == now;
            if (found == ledger.briefs().end()) continue;
            const Brief& brief = found->second;
            if (brief.take != coverage.takes[t].name || brief.character != coverage.characters[c].name)
                continue;
            cell.state = brief.is_failed ? CoverageCell::State::failed : CoverageCell::State::carried;
            cell.is_stale = brief.word != now;
            cell.share = float(brief.share);
            cell.measure = measures.at(brief.measure);
            cell.worst_frame = brief.worst_frame;
            cell.text = texts.at(brief.text);
        }
    return coverage;
}

std::string words_of_cell(const Coverage& coverage, size_t take, size_t character, LibraryInputs& inputs,
                          const Ledger& ledger) {
    const CoverageCell& cell = coverage.at(take, character);
    const OrderedPair pair{coverage.takes[take].name, coverage.characters[character].name};
    if (cell.state == CoverageCell::State::not_tried)
        return coverage.fits(take, character)
                   ? "not tried"
                   : fmt::format("not tried: a {} take, a {}", coverage.takes[take].plan,
                                 coverage.characters[character].plan);
    if (cell.is_stale) {
        const auto tried = ledger.tried(pair);
        const std::string why = tried ? what_changed(tried->inputs, inputs.of_pair(take, character)) : "";
        return why.empty() ? "stale" : "stale: " + why;
    }
    std::string words = coverage.text_of(cell);
    if (cell.state == CoverageCell::State::failed) return "failed: " + words;
    if (words.empty()) {
        words = "nothing falls short";
        if (cell.measure >= 0)
            words += fmt::format("; nearest to its bar is {}, {:.0f} %",
                                 coverage.measures[size_t(cell.measure)], 100.0 * double(cell.share));
    }
    return words;
}

int pairs_made_of(const Library& library, Ledger& ledger, const std::string& character) {
    LibraryInputs inputs(library, ledger.hashes());
    const std::string files = "characters/" + character + "/";
    std::set<std::string> takes;
    for (size_t t = 0; t < library.takes.size(); ++t) {
        const Inputs& of_take = inputs.take(t).inputs;
        if (const auto at = of_take.lower_bound(files); at != of_take.end() && at->first.starts_with(files))
            takes.insert(library.takes[t].name);
    }
    return int(std::count_if(ledger.briefs().begin(), ledger.briefs().end(), [&](const auto& brief) {
        return brief.second.character == character || takes.contains(brief.second.take);
    }));
}

std::string coverage_csv(const Coverage& coverage) {
    std::string table = "take,character,state,stale,accepted,share,measure,frame,text\n";
    for (size_t t = 0; t < coverage.takes.size(); ++t)
        for (size_t c = 0; c < coverage.characters.size(); ++c) {
            const CoverageCell& cell = coverage.at(t, c);
            table += fmt::format("{},{},{},{:d},{:d},", csv_cell(coverage.takes[t].name),
                                 csv_cell(coverage.characters[c].name), state_of(cell), cell.is_stale,
                                 cell.is_accepted);
            table +=
                cell.state == CoverageCell::State::carried
                    ? fmt::format("{:.4g},{},{},{}\n", double(cell.share),
                                  cell.measure < 0 ? "" : csv_cell(coverage.measures[size_t(cell.measure)]),
                                  cell.worst_frame, csv_cell(coverage.text_of(cell)))
                    : fmt::format(",,,{}\n", csv_cell(coverage.text_of(cell)));
        }
    return table;
}

std::string coverage_page(const Coverage& coverage, const std::string& library) {
    const CoverageCount all = coverage.count();
    std::string page = fmt::format(
        R"(<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><title>Coverage: {0}</title>
<style>
body{{font:15px/1.5 system-ui,sans-serif;background:#f6f1e4;color:#1d2a3a;margin:2.5rem auto;padding:0 1.5rem;max-width:90rem}}
h1{{font-size:1.5rem;margin:0}} table{{border-collapse:collapse;margin:1.5rem 0}} th{{font-weight:600;text-align:left;padding:.3rem .6rem}}
td{{padding:.3rem .6rem;border:1px solid #1d2a3a22;text-align:right;font-variant-numeric:tabular-nums;min-width:5rem}}
.stale{{font-style:italic}} .out{{font-weight:700;box-shadow:inset 4px 0 #1d2a3a}} .not{{color:#1d2a3a88;text-align:center}} .ring{{outline:2px solid #1d2a3a;outline-offset:-3px}}
</style></head><body>
<h1>Coverage: {0}</h1>
<p>A cell: the worst measure by its bar, in percent; bold over 100: outside. Slanted: stale. A ring: accepted by a person.</p>
<p>{1} inside, {2} outside, {3} accepted, {4} stale, {5} failed, {6} not tried</p>
<table><tr><th></th>)",
        escaped_markup(library), all.inside, all.outside, all.accepted, all.stale, all.failed, all.not_tried);
    for (const CoverageSide& character : coverage.characters)
        page += fmt::format("<th>{}</th>", escaped_markup(character.shown));
    page += "</tr>\n";
    for (size_t t = 0; t < coverage.takes.size(); ++t) {
        page += fmt::format("<tr><th>{}</th>", escaped_markup(coverage.takes[t].shown));
        for (size_t c = 0; c < coverage.characters.size(); ++c) {
            const CoverageCell& cell = coverage.at(t, c);
            if (cell.state == CoverageCell::State::not_tried) {
                page += R"(<td class="not">not tried</td>)";
                continue;
            }
            const bool is_failed = cell.state == CoverageCell::State::failed;
            page += fmt::format(R"(<td class="{}{}{}" title="{}">{}</td>)", cell.is_stale ? "stale " : "",
                                cell.is_outside() || is_failed ? "out " : "", cell.is_accepted ? "ring" : "",
                                escaped_markup(coverage.text_of(cell)),
                                is_failed ? "failed" : fmt::format("{:.0f}", 100.0 * double(cell.share)));
        }
        page += "</tr>\n";
    }
    return page + "</table></body></html>\n";
}

Json coverage_document(const Coverage& coverage, const Library& library) {
    Json document = document_header("coverage", library.id);
    document["library"] = library.name;
    document["cells"] = Json::array();
    for (size_t t = 0; t < coverage.takes.size(); ++t)
        for (size_t c = 0; c < coverage.characters.size(); ++c) {
            const CoverageCell& cell = coverage.at(t, c);
            Json& told = document["cells"].emplace_back();
            told["take"] = coverage.takes[t].name;
            told["character"] = coverage.characters[c].name;
            told["state"] = state_of(cell);
            if (cell.state == CoverageCell::State::not_tried) continue;
            told["stale"] = cell.is_stale;
            told["accepted"] = cell.is_accepted;
            if (cell.state == CoverageCell::State::carried) {
                told["share"] = canonical(double(cell.share));
                if (cell.measure >= 0) told["measure"] = coverage.measures[size_t(cell.measure)];
                told["frame"] = cell.worst_frame;
            }
            told["text"] = coverage.text_of(cell);
        }
    return document;
}

}  // namespace nb
