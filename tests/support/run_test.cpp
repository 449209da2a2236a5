#include "tests/support/run_test.hpp"

#include <cstdio>
#include <map>
#include <string>

#include "core/files/scene/child.hpp"

namespace nb::test {

namespace {

std::map<std::string, RunTest, std::less<>>& all() {
    static std::map<std::string, RunTest, std::less<>> tests;
    return tests;
}

std::string stem(std::string_view path) {
    path = path.substr(path.rfind('/') + 1);
    return std::string(path.substr(0, path.find('.')));
}

}  // namespace

bool register_test(std::string_view source, RunTest run) {
    return all().emplace(stem(source), run).second;
}

bool under_sanitizers() {
#if defined(NB_UNDER_SANITIZERS)
    return true;
#else
    return false;
#endif
}

}  // namespace nb::test

int main(int argc, char** argv) {
    using namespace nb::test;
    // Tests read foreign scenes apart, in a process of their own program, as the products do.
    int read_apart = 0;
    if (nb::serve_scene_reader(argc, argv, read_apart)) return read_apart;
    if (argc > 1)
        if (const auto at = all().find(argv[1]); at != all().end()) return at->second(argc - 1, argv + 1);
    if (const auto at = all().find(stem(argv[0])); at != all().end()) return at->second(argc, argv);
    std::fprintf(stderr, "which test? one of:\n");
    for (const auto& [name, run] : all()) std::fprintf(stderr, "  %s\n", name.c_str());
    return 2;
}
