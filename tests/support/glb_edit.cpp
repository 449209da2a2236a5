#include "tests/support/glb_edit.hpp"

#include <cstdint>
#include <cstring>

#include "core/base/files.hpp"

namespace nb::test {

void edit_glb(const std::string& from, const std::string& to, const std::function<void(Json&)>& edit) {
    const std::string bytes = read_file(from);
    std::uint32_t size = 0;
    std::memcpy(&size, bytes.data() + 12, 4);
    Json gltf = Json::parse(bytes.substr(20, size));
    edit(gltf);
    std::string text = gltf.dump();
    text.append((4 - text.size() % 4) % 4, ' ');
    const auto word = [](std::uint32_t value) {
        std::string four(4, 0);
        std::memcpy(four.data(), &value, 4);
        return four;
    };
    const std::string rest = bytes.substr(20 + size);
    const auto all = std::uint32_t(20 + text.size() + rest.size());
    write_file(to, "glTF" + word(2) + word(all) + word(std::uint32_t(text.size())) + "JSON" + text + rest);
}

Json& node_of(Json& gltf, const std::string& name) {
    static Json none;
    for (Json& node : gltf["nodes"])
        if (node.value("name", "") == name) return node;
    return none = Json();
}

}  // namespace nb::test
