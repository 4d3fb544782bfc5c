# A Debian package by CPack: scripts/package makes and checks it.
set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME caelumen)
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGE_VENDOR "The Caelumen team")
set(CPACK_PACKAGE_CONTACT "The Caelumen team <team@caelumen.org>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "fair comparisons of astrophotography filters")
set(CPACK_DEBIAN_PACKAGE_DESCRIPTION
"Caelumen measures what light-pollution, dual-band and narrowband filters do to
the sky background, the nebula, star halos, star colour and gradients in
stacked test frames, each figure with its uncertainty, and says what else
differed besides the filter.

It plans the night, judges and stacks subs, foretells other skies, shows what
a picture can become, ranks filters for a use and keeps a log of all runs.
The command line does the same for scripts.")
set(CPACK_DEBIAN_PACKAGE_SECTION science)
set(CPACK_DEBIAN_PACKAGE_PRIORITY optional)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_DEPENDS "libqt6sql6-sqlite, fonts-inter, fonts-dejavu-core, tzdata")
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_STRIP_FILES ON)
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_SET_DESTDIR OFF)

# What Debian wants beside the programs. Everything is packed without its time, so that the same source makes the same bytes.
find_program(GZIP gzip REQUIRED)
set(PACKAGE_DOC ${PROJECT_BINARY_DIR}/package-doc)
file(MAKE_DIRECTORY ${PACKAGE_DOC})
string(TIMESTAMP PACKAGE_DATE "%a, %d %b %Y %H:%M:%S +0000" UTC) # of SOURCE_DATE_EPOCH where that is set
# A version without a Debian part is a native package, whose one changelog has this name and form.
file(WRITE ${PACKAGE_DOC}/changelog
"caelumen (${PROJECT_VERSION}) stable; urgency=medium

  * What is new stands in CHANGES.md.gz.

 -- The Caelumen team <team@caelumen.org>  ${PACKAGE_DATE}
")
configure_file(${PROJECT_SOURCE_DIR}/CHANGELOG.md ${PACKAGE_DOC}/CHANGES.md COPYONLY)
foreach(man caelumen.1 caelumen-cli.1)
  configure_file(${PROJECT_SOURCE_DIR}/packaging/${man} ${PACKAGE_DOC}/${man} COPYONLY)
endforeach()
foreach(file changelog CHANGES.md caelumen.1 caelumen-cli.1)
  execute_process(COMMAND ${GZIP} -9nf ${PACKAGE_DOC}/${file} COMMAND_ERROR_IS_FATAL ANY)
endforeach()
install(FILES ${PACKAGE_DOC}/changelog.gz ${PACKAGE_DOC}/CHANGES.md.gz DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES ${PROJECT_SOURCE_DIR}/packaging/debian/copyright DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES ${PROJECT_SOURCE_DIR}/packaging/debian/lintian-overrides DESTINATION ${CMAKE_INSTALL_DATADIR}/lintian/overrides RENAME caelumen)
install(FILES ${PACKAGE_DOC}/caelumen.1.gz ${PACKAGE_DOC}/caelumen-cli.1.gz DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
include(CPack)
