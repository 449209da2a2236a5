// The one reader of values out of documents: what is missing, of the wrong kind or out of range is refused in
// one line with document and key.
#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace nb {

using Json = nlohmann::ordered_json;

/// The value of `key`. Throws FileError when the key is not there.
const Json& field(const Json& object, std::string_view key, const std::string& path);

/// A finite number in [low, high].
double number_of(const Json& value, std::string_view key, double low, double high, const std::string& path);
double number_in(const Json& object, std::string_view key, double low, double high, const std::string& path);
double number_in(const Json& object, std::string_view key, double low, double high, double otherwise,
                 const std::string& path);
/// A whole number in [low, high]; 3.0 is one, 3.5 and 1e300 are none.
int whole_in(const Json& object, std::string_view key, int low, int high, const std::string& path);
int whole_in(const Json& object, std::string_view key, int low, int high, int otherwise,
             const std::string& path);
bool flag_in(const Json& object, std::string_view key, const std::string& path);
bool flag_in(const Json& object, std::string_view key, bool otherwise, const std::string& path);
std::string text_in(const Json& object, std::string_view key, const std::string& path);
std::string text_in(const Json& object, std::string_view key, const std::string& otherwise,
                    const std::string& path);
/// An object; an empty one when the key is not there and need not be.
const Json& object_in(const Json& object, std::string_view key, const std::string& path);
const Json& object_or_none(const Json& object, std::string_view key, const std::string& path);
const Json& list_or_none(const Json& object, std::string_view key, const std::string& path);
/// `count` finite numbers in [low, high].
std::vector<double> numbers_in(const Json& object, std::string_view key, size_t count, double low,
                               double high, const std::string& path);
std::vector<std::string> texts_or_none(const Json& object, std::string_view key, const std::string& path);

/// The first number in a document that is not finite, as "rest/dials/lean_deg"; empty when all are.
std::string not_finite_in(const Json& document);

/// What a document of this program has: the keys it writes itself, and what lies below them.
struct Shape {
    std::vector<std::string_view> own;  ///< keys that are gone when this program did not write them
    bool is_table = false;              ///< every key is this program's: roles, limbs, chains by their names
    std::vector<std::string_view> below;    ///< keys with a shape; "*": every key or item without its own
    std::vector<Shape> shapes;              ///< of these
    std::vector<std::string_view> same_by;  ///< a list: items are the same that agree in these
};
/// Every key has the shape of `entry`.
Shape table_of(Shape entry);
/// Items of the shape of `item`; `same_by` as in Shape.
Shape list_of(Shape item, std::vector<std::string_view> same_by);
/// A key and the shape of what stands there.
struct ShapeBelow {
    std::string_view key;
    Shape shape;
};
Shape object_of(std::vector<std::string_view> own, std::vector<ShapeBelow> below = {});

/// Adds to `written` what `read` has beyond it and this program does not know, at every depth.
void keep_unknown(const Json& read, Json& written, const Shape& shape);

}  // namespace nb
