#include "core/base/json_fields.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/fault.hpp"

namespace nb {

namespace {

const Json no_object = Json::object();
const Json no_list = Json::array();

[[noreturn]] void refuse(const std::string& path, std::string_view key, const std::string& what,
                         const std::string& remedy = "compare with docs/schema") {
    throw FileError(path, fmt::format("'{}' {}", key, what), remedy);
}

/// Null when the key is not there.
const Json* find(const Json& object, std::string_view key) {
    if (!object.is_object()) return nullptr;
    const auto at = object.find(std::string(key));
    return at == object.end() ? nullptr : &*at;
}

int whole_of(const Json& value, std::string_view key, int low, int high, const std::string& path) {
    const double number = number_of(value, key, low, high, path);
    if (number != std::round(number)) refuse(path, key, fmt::format("is {}, no whole number", number));
    return int(number);
}

bool flag_of(const Json& value, std::string_view key, const std::string& path) {
    if (!value.is_boolean()) refuse(path, key, "is neither true nor false");
    return value.get<bool>();
}

std::string text_of(const Json& value, std::string_view key, const std::string& path) {
    if (!value.is_string()) refuse(path, key, "is no text");
    return value.get<std::string>();
}

}  // namespace

const Json& field(const Json& object, std::string_view key, const std::string& path) {
    const Json* value = find(object, key);
    if (!value) refuse(path, key, "is missing");
    return *value;
}

double number_of(const Json& value, std::string_view key, double low, double high, const std::string& path) {
    if (!value.is_number()) refuse(path, key, "is no number");
    const double number = value.get<double>();
    if (!(number >= low && number <= high))
        refuse(path, key, fmt::format("is {:g}", number), fmt::format("write {:g} to {:g}", low, high));
    return number;
}

double number_in(const Json& object, std::string_view key, double low, double high, const std::string& path) {
    return number_of(field(object, key, path), key, low, high, path);
}

double number_in(const Json& object, std::string_view key, double low, double high, double otherwise,
                 const std::string& path) {
    const Json* value = find(object, key);
    return value ? number_of(*value, key, low, high, path) : otherwise;
}

int whole_in(const Json& object, std::string_view key, int low, int high, const std::string& path) {
    return whole_of(field(object, key, path), key, low, high, path);
}

int whole_in(const Json& object, std::string_view key, int low, int high, int otherwise,
             const std::string& path) {
    const Json* value = find(object, key);
    return value ? whole_of(*value, key, low, high, path) : otherwise;
}

bool flag_in(const Json& object, std::string_view key, const std::string& path) {
    return flag_of(field(object, key, path), key, path);
}

bool flag_in(const Json& object, std::string_view key, bool otherwise, const std::string& path) {
    const Json* value = find(object, key);
    return value ? flag_of(*value, key, path) : otherwise;
}

std::string text_in(const Json& object, std::string_view key, const std::string& path) {
    return text_of(field(object, key, path), key, path);
}

std::string text_in(const Json& object, std::string_view key, const std::string& otherwise,
                    const std::string& path) {
    const Json* value = find(object, key);
    return value ? text_of(*value, key, path) : otherwise;
}

const Json& object_in(const Json& object, std::string_view key, const std::string& path) {
    const Json& value = field(object, key, path);
    if (!value.is_object()) refuse(path, key, "is no object");
    return value;
}

const Json& object_or_none(const Json& object, std::string_view key, const std::string& path) {
    const Json* value = find(object, key);
    if (!value) return no_object;
    if (!value->is_object()) refuse(path, key, "is no object");
    return *value;
}

const Json& list_or_none(const Json& object, std::string_view key, const std::string& path) {
    const Json* value = find(object, key);
    if (!value) return no_list;
    if (!value->is_array()) refuse(path, key, "is no list");
    return *value;
}

std::vector<double> numbers_in(const Json& object, std::string_view key, size_t count, double low,
                               double high, const std::string& path) {
    const Json& list = field(object, key, path);
    if (!list.is_array() || list.size() != count) refuse(path, key, fmt::format("is not {} numbers", count));
    std::vector<double> numbers;
    numbers.reserve(count);
    for (const Json& value : list) numbers.push_back(number_of(value, key, low, high, path));
    return numbers;
}

std::vector<std::string> texts_or_none(const Json& object, std::string_view key, const std::string& path) {
    std::vector<std::string> texts;
    for (const Json& value : list_or_none(object, key, path)) texts.push_back(text_of(value, key, path));
    return texts;
}

std::string not_finite_in(const Json& document) {
    if (document.is_number_float()) return std::isfinite(document.get<double>()) ? "" : "?";
    if (!document.is_structured()) return "";
    for (const auto& [key, value] : document.items())
        if (const std::string below = not_finite_in(value); !below.empty())
            return below == "?" ? key : fmt::format("{}/{}", key, below);
    return "";
}

void keep_unknown(const Json& read, Json& written, const Shape& shape) {
    const auto shape_of = [&](std::string_view key) -> const Shape* {
        const Shape* any = nullptr;
        for (size_t i = 0; i < shape.below.size(); ++i) {
            if (shape.below[i] == key) return &shape.shapes[i];
            if (shape.below[i] == "*") any = &shape.shapes[i];
        }
        return any;
    };
    if (read.is_array() && written.is_array()) {
        // Lists are this program's own; what stood in an item that is still there stays in it.
        const Shape* item = shape_of("*");
        if (!item) return;
        for (Json& now : written)
            for (const Json& before : read) {
                if (!before.is_object() || !now.is_object()) continue;
                const bool is_same =
                    std::all_of(shape.same_by.begin(), shape.same_by.end(), [&](std::string_view key) {
                        const std::string name(key);
                        return before.contains(name) && now.contains(name) && before[name] == now[name];
                    });
                if (!is_same) continue;
                keep_unknown(before, now, *item);
                break;
            }
        return;
    }
    if (!read.is_object() || !written.is_object()) return;
    for (const auto& [key, value] : read.items()) {
        const auto at = written.find(key);
        if (at != written.end()) {
            if (const Shape* below = shape_of(key)) keep_unknown(value, *at, *below);
        } else if (shape.is_table) {
            continue;
        } else if (std::find(shape.own.begin(), shape.own.end(), key) == shape.own.end()) {
            written[key] = value;
        } else if (const Shape* below = shape_of(key); below && value.is_object()) {
            // Its own values are gone; what others wrote beside them is not.
            Json kept = Json::object();
            keep_unknown(value, kept, *below);
            if (!kept.empty()) written[key] = kept;
        }
    }
}

Shape table_of(Shape entry) {
    Shape table;
    table.is_table = true;
    table.below = {"*"};
    table.shapes = {std::move(entry)};
    return table;
}

Shape list_of(Shape item, std::vector<std::string_view> same_by) {
    Shape list;
    list.below = {"*"};
    list.shapes = {std::move(item)};
    list.same_by = std::move(same_by);
    return list;
}

Shape object_of(std::vector<std::string_view> own, std::vector<ShapeBelow> below) {
    Shape shape;
    shape.own = std::move(own);
    for (ShapeBelow& entry : below) {
        shape.below.push_back(entry.key);
        shape.shapes.push_back(std::move(entry.shape));
    }
    return shape;
}

}  // namespace nb
