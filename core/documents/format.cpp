#include "core/documents/format.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/files.hpp"

namespace nb {

Json document_header(const char* kind, const std::string& id) {
    Json document;
    document["format"] = fmt::format("nimble-bone/{}", kind);
    document["version"] = document_version;
    document["id"] = id;
    return document;
}

std::string format_document(const Json& document) {
    if (const std::string where = not_finite_in(document); !where.empty())
        throw FileError("the document", fmt::format("'{}' is no finite number", where),
                        "nothing was written; look at the body this is of");
    return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Json read_document(const std::string& path, const std::string& kind) {
    return parse_document(read_file(path), path, kind);
}

Json parse_json(const std::string& text, const std::string& path) {
    Json document;
    const auto limit_depth = [&path](int depth, Json::parse_event_t, Json&) {
        if (depth > 64) throw FileError(path, "is nested more than 64 deep", "restore it from a copy");
        return true;
    };
    try {
        document = Json::parse(text, limit_depth);
    } catch (const Json::parse_error& error) {
        const size_t at = std::min(error.byte > 0 ? error.byte - 1 : 0, text.size());
        const int line = 1 + int(std::count(text.begin(), text.begin() + std::ptrdiff_t(at), '\n'));
        const size_t line_start = text.rfind('\n', at == 0 ? 0 : at - 1);
        throw FileError(path, line, int(line_start == std::string::npos ? at + 1 : at - line_start),
                        "is no valid JSON here", "restore it from a copy");
    } catch (const Json::exception&) {
        throw FileError(path, "holds a number beyond any range", "restore it from a copy");
    }
    return document;
}

Json parse_document(const std::string& text, const std::string& path, const std::string& kind) {
    if (text.find_first_not_of(" \t\r\n") == std::string::npos)
        throw FileError(path, "is empty", "restore it from a copy");
    Json document = parse_json(text, path);
    const std::string format =
        document.is_object() && document.contains("format") && document["format"].is_string()
            ? document["format"].get<std::string>()
            : "";
    if (format != "nimble-bone/" + kind)
        throw FileError(path, fmt::format("is no {} document", kind),
                        fmt::format("expected \"format\": \"nimble-bone/{}\"", kind));
    const int version = whole_in(document, "version", 1, 1000000, path);
    if (version > document_version)
        throw FileError(path,
                        fmt::format("is version {}, newer than this program's {}", version, document_version),
                        "use a newer Nimble Bone");
    return document;
}

}  // namespace nb
