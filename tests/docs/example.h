/* What the examples in the public headers use and do not declare. */
#ifndef YONDER_TESTS_EXAMPLE_H
#define YONDER_TESTS_EXAMPLE_H

#include <string.h>

#include "yonder/abilities.h"
#include "yonder/image/check.h"
#include "yonder/inspect.h"
#include "yonder/yonder.h"

extern yt_engine engine;
extern yt_port port;
extern yt_device device;
extern uint64_t memory[1024], now_us, due_us;
extern const void *program;
extern const uint8_t *descriptor, *setup, *levels;
extern uint8_t bytes[YT_REPORT_BYTES + 1], answer[YT_REPORT_BYTES + 1];
extern size_t program_size, descriptor_size, size, length, mtu;
extern unsigned number, control;
extern uint32_t pressed, held[16];
extern unsigned held_count;
extern uint64_t tell_us;
extern yt_adapter_parts parts;
extern yt_status status;
extern yt_action action;
extern yt_usb_control asked;
extern yt_link link;
extern yt_adapter adapter;
extern yt_store store;
extern bool is_down;
extern unsigned line, slot;
extern char text[YT_MENU_LINE_BYTES];
extern uint16_t cell, choice;
extern size_t bytes_of_slot;
extern uint16_t controls[3];
extern yt_calibrating gathering;
extern yt_calibration record;
extern yt_calibration_news news;
extern yt_calibrated calibrated;

void send(const uint8_t *bytes, size_t size);
void stall(void);
void run_the_engine(void);
void carry_out(const yt_action *action);
void add_attribute(unsigned index, unsigned uuid, unsigned properties);

#endif
