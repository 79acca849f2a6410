/* The panel of a simulated adapter: its display and its buttons, in a terminal or as text; and
 * presses that a script has. */
#ifndef YONDER_TOOL_SIM_PANEL_H
#define YONDER_TOOL_SIM_PANEL_H

#include "ports/sim/sim_menu.h"

#define SIM_PANEL_SCRIPT 1000 /* lines of a script, at most */

typedef struct sim_panel {
    unsigned columns, lines, buttons; /* columns 0: there is no panel */
    bool is_drawn;                    /* in a terminal */
    sim_menu menu;
    char shown[16][YT_MENU_LINE_BYTES]; /* what was printed last */
    uint64_t down_us[6]; /* a button that a key pressed is let go then; 0: it is up */
} sim_panel;

/* "16x2": columns and lines. False: they are none that a display has. */
bool sim_panel_size(const char *text, unsigned *columns, unsigned *lines);

/* The adapter was plugged in: its menu begins anew. */
void sim_panel_plug_in(sim_panel *panel, simulation *simulation, struct sim_link *linked);

/* A host waits for a press, and shows a number; 0: none does. */
void sim_panel_wants_press(sim_panel *panel, unsigned number, uint64_t now_us);

/* The display as text, in a frame, a line of it behind `indent`, where it is another than the one
 * that was printed last. */
void sim_panel_print(sim_panel *panel, const char *indent);

/* A key of a person's: an arrow, enter or escape, or a digit for a button. False: it is none of the
 * panel's. Buttons that keys press are let go by sim_panel_go_on, which shows what has changed. */
bool sim_panel_key(sim_panel *panel, int key, uint64_t now_us);
void sim_panel_go_on(sim_panel *panel, uint64_t now_us);

#define SIM_PANEL_TOLD 8 /* lines of what happened, that are shown */

/* What is drawn in a terminal beside the display. */
typedef struct sim_panel_view {
    char told[SIM_PANEL_TOLD][120]; /* the newest last */
    unsigned count;
    bool has_changed;
} sim_panel_view;

/* Takes the terminal; false: it cannot be drawn on, which is said. */
bool sim_panel_open(sim_panel *panel, sim_panel_view *view);
void sim_panel_close(void);

/* A key that was pressed, as sim_panel_key takes it; -1: none was. */
int sim_panel_read(void);

/* Notes what happened. */
void sim_panel_tell(sim_panel_view *view, const char *text);

/* Draws it, where something changed. */
void sim_panel_draw(sim_panel *panel, sim_panel_view *view);

/* Keys of sim_panel_key that are no letters. */
enum { PANEL_KEY_UP = 1000, PANEL_KEY_DOWN, PANEL_KEY_CHOOSE, PANEL_KEY_BACK };

/* A line of a script. */
typedef enum sim_step_kind {
    STEP_WAIT,   /* so long */
    STEP_OPEN,   /* the menu */
    STEP_PRESS,  /* up, down, choose or back, so many times */
    STEP_ROW,    /* goes down to the row that begins so */
    STEP_BUTTON, /* so long */
    STEP_POWER   /* goes, and comes back */
} sim_step_kind;

typedef struct sim_step {
    sim_step_kind kind;
    unsigned press, count, button;
    uint64_t time_us;
    char text[80];
    const char *line; /* as it was written */
    unsigned number;
} sim_step;

typedef struct sim_script {
    sim_step steps[SIM_PANEL_SCRIPT];
    unsigned count;
    char *text;
} sim_script;

/* Reads a script (docs/guide/14-without-a-computer.md). False: said on standard error. */
bool sim_script_read(sim_script *script, const char *path);
void sim_script_free(sim_script *script);

/* Does a step of it, `go_on` being called to let time go by. False: said on standard error. */
bool sim_script_do(sim_panel *panel, const char *path, const sim_step *step, void *context,
                   bool (*go_on)(void *context, uint64_t for_us));

#endif
