/* Statuses: what a call says of itself. The texts are for tools; the core only carries numbers. */
#ifndef YONDER_STATUS_H
#define YONDER_STATUS_H

#ifdef __cplusplus
extern "C" {
#endif

/* X(name, text): the one list of statuses. Append only, since tools may store the numbers. */
#define YT_STATUSES(X)                                                                             \
    X(OK, "fine")                                                                                  \
    X(END, "there is no more")                                                                     \
    X(ARGUMENT, "an argument of the call is out of range")                                         \
    X(MEMORY, "the memory given is too small")                                                     \
    X(FULL, "the queue is full; update the engine, then give it again")                            \
    X(HID_CUT, "an item runs past the end of the report descriptor")                               \
    X(HID_RESERVED, "an item has a reserved type or tag")                                          \
    X(HID_COLLECTION, "a collection ends that was not begun")                                      \
    X(HID_UNCLOSED, "a collection is not closed")                                                  \
    X(HID_DEEP, "collections are nested too deep")                                                 \
    X(HID_MANY_PUSHES, "more pushes than the limit")                                               \
    X(HID_POP, "a pop without a push")                                                             \
    X(HID_REPORT_ID, "a report ID is 0, above 255, or begins after the first field")               \
    X(HID_MANY_REPORTS, "more reports than the limit")                                             \
    X(HID_LONG_REPORT, "a report is longer than the limit")                                        \
    X(HID_RANGE, "the logical minimum is above the logical maximum")                               \
    X(HID_USAGE, "the usage range is turned round or spans two pages")                             \
    X(HID_DELIMITER, "delimiters are not paired")                                                  \
    X(PROGRAM_SIZE, "the program is cut short, or longer than it says")                            \
    X(PROGRAM_FOREIGN, "this is not a program")                                                    \
    X(PROGRAM_NEWER, "the program has a version that is not known here")                           \
    X(PROGRAM_CHECKSUM, "the program's checksum does not match")                                   \
    X(PROGRAM_INPUT, "an input of the program is broken")                                          \
    X(PROGRAM_CONTROL, "a control of the program is broken")                                       \
    X(PROGRAM_STEP, "a step of the program has an unknown instruction or a wrong shape")           \
    X(PROGRAM_ORDER, "a step of the program uses what does not come before it")                    \
    X(PROGRAM_TYPE, "a step of the program uses something of the wrong type")                      \
    X(PROGRAM_USERS, "the program's marks do not match its steps")                                 \
    X(PROGRAM_STATE, "the program's state does not match its steps")                               \
    X(PROGRAM_OUTPUT, "an output of the program is broken")                                        \
    X(PROGRAM_ROOT, "a root of the program is broken")                                             \
    X(PROGRAM_TEXT, "a name in the program is broken")                                             \
    X(PROGRAM_ALIGNMENT, "the program does not begin at an address that four divides")             \
    X(NO_MATCH, "the device fits no input of the program")                                         \
    X(TOO_MANY_DEVICES, "more devices than the limit")                                             \
    X(REPORT_SHORT, "a report is shorter than its descriptor says")                                \
    X(UNREADABLE, "the flash cannot be read there")                                                \
    X(FLASH, "the flash could not be erased or programmed")                                        \
    X(SLOT, "there is no slot of that number")                                                     \
    X(SLOT_EMPTY, "the slot is empty")                                                             \
    X(SLOT_SIZE, "the content does not fit into a slot")                                           \
    X(PORT, "the port's facts do not suit the store")                                              \
    X(PROGRAM_BOARD, "a pin of the program is broken")                                             \
    X(PROGRAM_RELAY, "a relay of the program is broken")                                           \
    X(PROGRAM_FILL, "a report of the program that fills itself is broken")                         \
    X(RELAYED, "another device answers this report")                                               \
    X(PROGRAM_PARAMETER, "a parameter of the program is broken")                                   \
    X(HID_LONG,                                                                                    \
      "the report descriptor is longer, or has more fields or collections, than the limit")        \
    X(SLOT_RUNS, "the place that would be erased holds the program that runs")                     \
    X(SLOT_DAMAGED, "what was written last into the slot can no longer be read")                   \
    X(PROGRAM_GROUP, "the program needs a group of functions that is not linked here")             \
    X(PROGRAM_PART, "the program needs a part that this firmware leaves out")                      \
    X(PROGRAM_OLDER, "the program is of an older version: compile its profile again")              \
    X(ROOM, "there is too little room for the bytes; how many they are is told")                   \
    X(PROGRAM_ABILITY, "the program does not say what it is able to do")                           \
    X(REFUSED, "the program is able to do what this adapter does not allow")                       \
    X(CALIBRATION_FOREIGN, "this is not a calibration, or it is cut short")                        \
    X(CALIBRATION_NEWER, "the calibration has a version that is not known here")                   \
    X(CALIBRATION_CHECKSUM, "the calibration's checksum does not match")                           \
    X(CALIBRATION_VALUES, "the calibration's numbers make no sense")                               \
    X(CALIBRATION_PART, "the calibration is of another part than this device has")                 \
    X(CALIBRATION_UNFINISHED, "too little was seen, or it makes no sense")                         \
    X(STORE_FOREIGN, "the flash holds something else than a store of this layout")                 \
    X(STORE_NEWER, "the flash holds a store of a newer version")                                   \
    X(STORE_FULL, "the flash has no room for it")                                                  \
    X(STORE_CONTENT, "it holds bytes that could be taken for the store's own")                     \
    X(SETTINGS_FOREIGN, "these are not settings, or they are broken")                              \
    X(SETTINGS_NEWER, "the settings have a version that is not known here")

/* What a call says of itself; 0 is fine. */
typedef enum yt_status {
#define YT_STATUS_NAME(name, text) YT_##name,
    YT_STATUSES(YT_STATUS_NAME)
#undef YT_STATUS_NAME
        YT_STATUS_COUNT
} yt_status;

#if defined(__GNUC__)
#define YT_MUST_USE __attribute__((warn_unused_result))
#else
#define YT_MUST_USE
#endif

#ifdef __cplusplus
}
#endif

#endif
