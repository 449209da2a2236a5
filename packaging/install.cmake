# Where a Linux desktop expects things, and the Debian package of them.
include(GNUInstallDirs)
set(share ${CMAKE_INSTALL_DATADIR})
install(TARGETS nimble-bone nbone nbone-device RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
# What the program looks for beside itself (core/library/shipped.hpp): the limbering take and the body it was
# made on, and the handbook with its pictures.
install(FILES demo-library/takes/limbering.bvh demo-library/takes/limbering.take.json
        DESTINATION ${share}/nimble-bone/takes)
install(FILES demo-library/characters/ferrier/character.json
        DESTINATION ${share}/nimble-bone/characters/ferrier)
install(DIRECTORY docs/handbook DESTINATION ${share}/nimble-bone)
foreach(page intake roles rest chains transfer scene touch-up hand-over coverage library newer-rig live)
  install(FILES docs/screenshots/${page}.png DESTINATION ${share}/nimble-bone/screenshots)
endforeach()
# The window has its fonts and icons within it; others may like the fonts, too.
install(FILES app/fonts/B612-Regular.otf app/fonts/B612-Bold.otf
        DESTINATION ${share}/fonts/opentype/nimble-bone)
install(FILES packaging/nimble-bone.desktop DESTINATION ${share}/applications)
install(FILES packaging/nimble-bone.svg DESTINATION ${share}/icons/hicolor/scalable/apps)
install(FILES packaging/nimble-bone.xml DESTINATION ${share}/mime/packages)
install(FILES README.md docs/formats.md docs/body-plans.md docs/live.md DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR} RENAME copyright)
install(FILES app/fonts/LICENCE-B612.txt app/icons/LICENCE-icons.txt DESTINATION ${CMAKE_INSTALL_DOCDIR})

# cpack -G DEB
set(CPACK_PACKAGE_NAME nimble-bone)
set(CPACK_PACKAGE_CONTACT "Nimble Bone <nimble-bone@localhost>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "Carries captured motion between differently built bodies")
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
# Loaded while it runs, so that no linker tells of them: the window system, and OpenGL.
set(CPACK_DEBIAN_PACKAGE_DEPENDS "qt6-qpa-plugins, libgl1, libegl1")
set(CPACK_STRIP_FILES ON)
set(CPACK_GENERATOR DEB)
include(CPack)
