# yonder_bare_image(NAME SOURCE...): an image for the processor of the toolchain file, with the beginning and the
# emulator's calls that all have.
set(yonder_bare ${CMAKE_CURRENT_LIST_DIR})
if(CMAKE_SYSTEM_PROCESSOR STREQUAL riscv)
  set(board ${yonder_bare}/startup.c ${yonder_bare}/semihosting.c ${yonder_bare}/riscv.c ${yonder_bare}/memory.c)
  set(script virt.ld)
  set(library -nostdlib)
  # what is a loop here is not to become a call of itself
  set_source_files_properties(${yonder_bare}/memory.c PROPERTIES COMPILE_OPTIONS -fno-tree-loop-distribute-patterns)
else()
  set(board ${yonder_bare}/startup.c ${yonder_bare}/semihosting.c ${yonder_bare}/arm.c)
  set(script microbit.ld)
  set(library --specs=nano.specs)
endif()

# What all images are linked with.
function(yonder_bare_options name)
  target_include_directories(${name} PRIVATE ${yonder_bare}/../..)
  target_link_options(${name} PRIVATE -nostartfiles ${library} -Wl,--gc-sections -L${yonder_bare}
                      -T${yonder_bare}/${script} -Wl,-Map=${name}.map)
  target_link_libraries(${name} PRIVATE -lgcc)
  set_target_properties(${name} PROPERTIES SUFFIX .elf C_STANDARD 11
                        LINK_DEPENDS "${yonder_bare}/${script};${yonder_bare}/sections.ld")
endfunction()

function(yonder_bare_image name)
  add_executable(${name} ${board} ${ARGN})
  target_link_libraries(${name} PRIVATE yonder_core)
  yonder_bare_options(${name})
endfunction()
