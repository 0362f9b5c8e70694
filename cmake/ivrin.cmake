# How every target of the project is compiled, and how a folder becomes a library.

find_package(PkgConfig REQUIRED)
find_package(Threads REQUIRED)

add_library(ivrin_flags INTERFACE)
# -ffp-contract=off: the same song gives the same bytes whichever code path the compiler picked.
target_compile_options(ivrin_flags INTERFACE
  -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wno-sign-conversion -Wnon-virtual-dtor
  -Wold-style-cast -Woverloaded-virtual -Werror -ffp-contract=off -fno-math-errno -fno-trapping-math
  $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>) # GCC 12 finds overlaps in std::string + char* that are not there (its bug 105651)
# Assertions of the numbered invariants (core/time/check.h).
target_compile_definitions(ivrin_flags INTERFACE $<$<OR:$<CONFIG:Debug>,$<BOOL:${IVRIN_SANITIZE}>>:IVRIN_CHECKS>)
if(IVRIN_SANITIZE STREQUAL "address")
  # The checks of a pointer before every use are left to the fuzzers' build: they make this one a quarter longer.
  target_compile_options(ivrin_flags INTERFACE -fsanitize=address,undefined -fno-sanitize=null,alignment,object-size,vptr
    -fno-sanitize-recover=all -fno-omit-frame-pointer
    -Wno-maybe-uninitialized) # the instrumented code confuses this warning (GCC manual, -fsanitize)
  target_link_options(ivrin_flags INTERFACE -fsanitize=address,undefined)
elseif(IVRIN_SANITIZE STREQUAL "thread")
  target_compile_options(ivrin_flags INTERFACE -fsanitize=thread -Wno-maybe-uninitialized)
  target_link_options(ivrin_flags INTERFACE -fsanitize=thread)
endif()

# ivrin_hot(TARGET): where the samples are computed. The rest gains nothing from -O3 but longer builds.
function(ivrin_hot name)
  target_compile_options(${name} PRIVATE $<$<CONFIG:Release>:-O3;-g1>)
endfunction()

# ivrin_share(OUT N MOST): N files in as few parts of at most MOST as there can be: how many stand in each.
function(ivrin_share out n most)
  if(n EQUAL 0)
    set(${out} 1 PARENT_SCOPE)
    return()
  endif()
  math(EXPR parts "(${n} + ${most} - 1) / ${most}")
  math(EXPR each "(${n} + ${parts} - 1) / ${parts}")
  set(${out} ${each} PARENT_SCOPE)
endfunction()

# ivrin_together(OUT FILE...)
# With IVRIN_UNITY: files that include IVRIN_TOGETHER of them each. CMake's own such files name theirs by absolute paths; these name
# them from where they lie, so that they are the same text in every clone and ccache need not even preprocess them.
function(ivrin_together out)
  if(NOT IVRIN_UNITY)
    set(${out} ${ARGN} PARENT_SCOPE)
    return()
  endif()
  list(LENGTH ARGN count)
  ivrin_share(each ${count} ${IVRIN_TOGETHER})
  set(made)
  set(n 0)
  set(text "")
  foreach(source ${ARGN} END)
    math(EXPR place "${n} % ${each}")
    if(NOT text STREQUAL "" AND (source STREQUAL "END" OR place EQUAL 0))
      list(LENGTH made k)
      set(file ${CMAKE_CURRENT_BINARY_DIR}/together_${out}_${k}.cpp)
      file(CONFIGURE OUTPUT ${file} CONTENT "${text}" @ONLY) # written only when it differs
      list(APPEND made ${file})
      set(text "")
    endif()
    if(NOT source STREQUAL "END")
      get_filename_component(source ${source} ABSOLUTE)
      file(RELATIVE_PATH name ${CMAKE_CURRENT_BINARY_DIR} ${source})
      string(APPEND text "#include \"${name}\"\n")
    endif()
    math(EXPR n "${n} + 1")
  endforeach()
  set(${out} ${made} PARENT_SCOPE)
endfunction()

# ivrin_tests_together(OUT FILE...)
# With IVRIN_UNITY the same of tests, half as many each. Their helpers have the same names, so each file stands in a
# namespace of its own; what they include is included before. Compiled alone (the debug preset) they are as they stand.
function(ivrin_tests_together out)
  if(NOT IVRIN_UNITY OR ARGC EQUAL 2)
    set(${out} ${ARGN} PARENT_SCOPE)
    return()
  endif()
  list(LENGTH ARGN count)
  math(EXPR most "${IVRIN_TOGETHER} / 2")
  ivrin_share(each ${count} ${most})
  set(made)
  set(names)
  set(includes)
  set(text "")
  foreach(source ${ARGN} END)
    list(LENGTH names n)
    if(n EQUAL each OR (source STREQUAL "END" AND n GREATER 0))
      list(REMOVE_DUPLICATES includes)
      list(JOIN includes "\n" before)
      list(GET names 0 name)
      set(file ${CMAKE_CURRENT_BINARY_DIR}/together_${name}.cpp)
      file(CONFIGURE OUTPUT ${file} CONTENT "${before}\n${text}" @ONLY)
      list(APPEND made ${file})
      set(names)
      set(includes)
      set(text "")
    endif()
    if(source STREQUAL "END")
      break()
    endif()
    get_filename_component(source ${source} ABSOLUTE)
    get_filename_component(name ${source} NAME_WE)
    if(NOT name MATCHES "_test$") # helpers
      list(APPEND made ${source})
      continue()
    endif()
    get_filename_component(folder ${source} DIRECTORY)
    list(APPEND names ${name})
    set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${source}) # for what it includes
    file(STRINGS ${source} lines REGEX "^#include ")
    foreach(line ${lines})
      string(REGEX REPLACE "^#include [<\"](.*)[>\"].*" "\\1" header ${line})
      if(EXISTS ${folder}/${header})
        file(RELATIVE_PATH header ${CMAKE_CURRENT_BINARY_DIR} ${folder}/${header})
        set(line "#include \"${header}\"")
      endif()
      list(APPEND includes "${line}")
    endforeach()
    file(RELATIVE_PATH path ${CMAKE_CURRENT_BINARY_DIR} ${source})
    string(APPEND text "namespace ${name} {\n#include \"${path}\"\n}\n")
  endforeach()
  set(${out} ${made} PARENT_SCOPE)
endfunction()

# ivrin_folder(NAME PATH SOURCES ... USES ... LIBS ...)
# One library for one folder. Others reach its headers as "NAME/file.h" and only when they list it in
# USES: the include path holds one link per used folder, so an include against the direction of the
# architecture does not build.
function(ivrin_folder name path)
  cmake_parse_arguments(ARG "" "" "SOURCES;USES;LIBS;PRIVATE_LIBS" ${ARGN})
  set(root ${CMAKE_BINARY_DIR}/include/${name})
  file(MAKE_DIRECTORY ${root})
  file(CREATE_LINK ${path} ${root}/${name} SYMBOLIC)
  if(ARG_SOURCES)
    ivrin_together(sources ${ARG_SOURCES})
    add_library(ivrin_${name} STATIC ${sources})
    set_property(GLOBAL APPEND PROPERTY ivrin_libraries ivrin_${name})
    set(scope PUBLIC)
    target_link_libraries(ivrin_${name} PRIVATE ivrin_flags ${ARG_PRIVATE_LIBS})
  else()
    add_library(ivrin_${name} INTERFACE)
    set(scope INTERFACE)
  endif()
  target_include_directories(ivrin_${name} ${scope} ${root})
  foreach(use ${ARG_USES})
    target_link_libraries(ivrin_${name} ${scope} ivrin_${use})
  endforeach()
  target_link_libraries(ivrin_${name} ${scope} ${ARG_LIBS} Threads::Threads)
endfunction()

# ivrin_precompile(TARGET HEADER...): headers of other people that the target's files all read.
function(ivrin_precompile name)
  if(CMAKE_DISABLE_PRECOMPILE_HEADERS)
    return()
  endif()
  target_precompile_headers(${name} PRIVATE ${ARGN})
  if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
    # The first lets ccache see through the header; the second: bug 105651 once more, from another side.
    target_compile_options(${name} PRIVATE -fpch-preprocess -Wno-stringop-overflow)
  endif()
endfunction()

# ivrin_precompile_as(TARGET OTHER): with what another target has compiled; both are compiled with the same options.
function(ivrin_precompile_as name other)
  if(CMAKE_DISABLE_PRECOMPILE_HEADERS)
    return()
  endif()
  target_precompile_headers(${name} REUSE_FROM ${other})
  if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
    target_compile_options(${name} PRIVATE -fpch-preprocess -Wno-stringop-overflow)
  endif()
endfunction()

# ivrin_shipped_texts(FOLDER LIBRARY HEADER ARRAY): the JSON files of a folder, as the texts they are, in a header that the
# library includes as "LIBRARY/HEADER.h".
function(ivrin_shipped_texts folder library header array)
  file(GLOB files CONFIGURE_DEPENDS ${CMAKE_CURRENT_SOURCE_DIR}/${folder}/*.json)
  list(LENGTH files count)
  set(texts "")
  foreach(file ${files})
    file(READ ${file} text)
    set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${file})
    string(APPEND texts "R\"text(${text})text\",\n")
  endforeach()
  file(CONFIGURE OUTPUT ${CMAKE_BINARY_DIR}/generated/${library}/${header}.h @ONLY CONTENT
"// Made of core/@library@/@folder@ by the build.
#pragma once
#include <array>
namespace ivrin {
inline constexpr std::array<const char*, @count@> @array@ = {
@texts@};
} // namespace ivrin
")
endfunction()
