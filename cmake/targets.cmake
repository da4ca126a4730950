# What our own targets have in common. Third-party targets are never touched.

# bexto_target(TARGET): our include root and our warnings.
function(bexto_target target)
  target_include_directories(${target} PUBLIC ${PROJECT_SOURCE_DIR}/src)
  target_compile_definitions(${target} PUBLIC BEXTO_VERSION="${PROJECT_VERSION}")
  target_compile_options(${target} PRIVATE -Wall -Wextra -Wpedantic -Wconversion)
  if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU" AND CMAKE_CXX_COMPILER_VERSION VERSION_LESS 13)
    # GCC 12 sees overlaps and overflows in std::string at -O3 that are not there (GCC bug 105651).
    target_compile_options(${target} PRIVATE -Wno-restrict -Wno-stringop-overflow -Wno-array-bounds)
  endif()
  if(CMAKE_BUILD_TYPE STREQUAL "None")  # where tests run, a container asks whether what is taken from it is there
    target_compile_definitions(${target} PUBLIC _GLIBCXX_ASSERTIONS)
  endif()
  if(BEXTO_DEVELOPER)
    target_compile_options(${target} PRIVATE -Werror)
  endif()
endfunction()

# bexto_precompile(TARGET): the headers that most of our sources include, compiled once for all that share the flags.
function(bexto_precompile target)
  if(TARGET bexto_headers)
    target_precompile_headers(${target} REUSE_FROM bexto_headers)
  endif()
endfunction()

# bexto_at_once(TARGET COUNT): its sources are compiled COUNT together, which takes half the time where they share their
# headers. What they keep to themselves must not have the name of what a neighbour keeps.
function(bexto_at_once target count)
  set_target_properties(${target} PROPERTIES UNITY_BUILD ${BEXTO_SOURCES_AT_ONCE} UNITY_BUILD_BATCH_SIZE ${count})
  if(BEXTO_SOURCES_AT_ONCE AND CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
    # What a source keeps to itself may be part of its classes, which GCC takes for a mistake where it is included.
    target_compile_options(${target} PRIVATE -Wno-subobject-linkage)
  endif()
endfunction()

# bexto_library(NAME SOURCES ... LINKS ...): a static library bexto_NAME with the alias bexto::NAME.
function(bexto_library name)
  cmake_parse_arguments(ARG "" "" "SOURCES;LINKS" ${ARGN})
  add_library(bexto_${name} STATIC ${ARG_SOURCES})
  add_library(bexto::${name} ALIAS bexto_${name})
  bexto_target(bexto_${name})
  target_link_libraries(bexto_${name} PUBLIC ${ARG_LINKS})
  if(CMAKE_BUILD_TYPE STREQUAL "None")  # what people run, and what is measured, is compiled file by file
    bexto_at_once(bexto_${name} 5)
  endif()
  if(NOT "${ARG_LINKS}" MATCHES "Qt6::|live")  # those have flags of their own
    bexto_precompile(bexto_${name})
  endif()
endfunction()
