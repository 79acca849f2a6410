# Toolchain: gcc for bare-metal RISC-V, rv32imac. It comes without a C library; of the headers only
# string.h is taken from one, and its functions are in memory.c.
set(CMAKE_SYSTEM_NAME Generic)
set(CMAKE_SYSTEM_PROCESSOR riscv)
set(CMAKE_C_COMPILER riscv64-unknown-elf-gcc)
set(CMAKE_TRY_COMPILE_TARGET_TYPE STATIC_LIBRARY)
set(CMAKE_C_FLAGS_INIT
    "-march=rv32imac -mabi=ilp32 -msmall-data-limit=0 -ffreestanding -idirafter /usr/include/newlib -ffunction-sections -fdata-sections -fstack-usage")
set(CMAKE_C_FLAGS_MINSIZEREL "-Os" CACHE STRING "")
