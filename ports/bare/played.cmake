# A firmware around a profile; played.c says how it is built.
cmake_minimum_required(VERSION 3.16)
project(firmware C)
set(YONDER_THUMB "" CACHE PATH "Where the sources of Yonder Thumb are")
if(NOT EXISTS "${YONDER_THUMB}/ports/bare/image.cmake")
  message(FATAL_ERROR "Say where the sources of Yonder Thumb are: -DYONDER_THUMB=PATH")
endif()
if(NOT CMAKE_CROSSCOMPILING)
  message(FATAL_ERROR "Say for which processor: -DCMAKE_TOOLCHAIN_FILE=${YONDER_THUMB}/ports/bare/cortex-m0.cmake, "
                      "or cortex-m4.cmake, or riscv.cmake")
endif()
if(NOT CMAKE_BUILD_TYPE)
  set(CMAKE_BUILD_TYPE MinSizeRel)
endif()
add_subdirectory(${YONDER_THUMB} yonder-thumb)
include(${YONDER_THUMB}/ports/bare/image.cmake)
yonder_bare_image(firmware firmware.c program.c reports.c)
set(machine_cortex-m0 microbit)
set(machine_cortex-m4 mps2-an386)
set(machine_riscv virt)
add_custom_target(run COMMAND ${CMAKE_COMMAND} -E env MACHINE=${machine_${CMAKE_SYSTEM_PROCESSOR}}
                              ${YONDER_THUMB}/ports/bare/emulate $<TARGET_FILE:firmware> none none
                  DEPENDS firmware USES_TERMINAL)
