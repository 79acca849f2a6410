/* What the menu says, in English. */
#include "yonder/menu.h"

const yt_menu_texts yt_menu_english = {
    .narrow =
        {
#define YT_MENU_TEXT(NAME, narrow, wide) narrow,
#include "yonder/menu_texts.def"
        },
    .wide =
        {
#define YT_MENU_TEXT(NAME, narrow, wide) wide,
#include "yonder/menu_texts.def"
        },
    .letters = " abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-"};
