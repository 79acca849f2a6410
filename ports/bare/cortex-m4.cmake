# Toolchain: gcc for bare-metal Arm, code for a Cortex-M4 without a floating-point unit.
set(CMAKE_SYSTEM_NAME Generic)
set(CMAKE_SYSTEM_PROCESSOR cortex-m4)
set(CMAKE_C_COMPILER arm-none-eabi-gcc)
set(CMAKE_TRY_COMPILE_TARGET_TYPE STATIC_LIBRARY)
set(CMAKE_C_FLAGS_INIT
    "-mcpu=cortex-m4 -mthumb -mfloat-abi=soft -ffreestanding -ffunction-sections -fdata-sections -fstack-usage")
set(CMAKE_C_FLAGS_MINSIZEREL "-Os" CACHE STRING "")
