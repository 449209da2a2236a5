// Many tests in one program: each is run by its name, `core_tests test_bvh [slot …]`, or through a link of
// that name beside the program, as if it were one of its own.
#pragma once
#include <string_view>

namespace nb::test {

using RunTest = int (*)(int argc, char** argv);
/// `source`: the test's file, which gives its name. To be called before main().
bool register_test(std::string_view source, RunTest run);

/// The core below is built with the sanitizers (the tests themselves are the same objects): what memory does shows on one
/// body as on all, and takes ten times as long.
bool under_sanitizers();

}  // namespace nb::test

/// At the end of a test's file, in the place of Qt Test's own main. `App`: the application it needs.
#define NB_TEST_WITH(App, Test)                                                                     \
    static const bool is_registered = nb::test::register_test(__FILE__, [](int argc, char** argv) { \
        const App app(argc, argv);                                                                  \
        Test test;                                                                                  \
        return QTest::qExec(&test, argc, argv);                                                     \
    });
#define NB_TEST(Test) NB_TEST_WITH(QCoreApplication, Test)
