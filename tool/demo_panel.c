/* The demo of an adapter that is set up without a computer: by four buttons and a display of two
 * lines. */
#include <stdlib.h>
#include <unistd.h>

#include "tool/demos.h"
#include "tool/slots.h"

bool demo_panel(const char *data, const char *out) {
    char flash[600], put[600], keys[600], grip[600], presses[600], into[600];
    char name[] = "--flash", in[] = "--in";
    snprintf(flash, sizeof flash, "%s/panel-flash.bin", out);
    snprintf(put, sizeof put, "1=%s/winch.yaml", data);
    snprintf(keys, sizeof keys, "%s/recordings/otter-winch.hid", data);
    snprintf(grip, sizeof grip, "%s/recordings/lapwing-grip.hid", data);
    snprintf(presses, sizeof presses, "%s/panel/winch.presses", data);
    snprintf(into, sizeof into, "%s/panel-fetched", out);
    unlink(flash); /* each demo begins with an empty adapter */
    puts("\n1. A winch's profile goes into an adapter; it says what may be rebound there.");
    bool good = demo_call(command_slots, "slots", "put", put, name, flash, NULL);
    puts("\n2. Somebody presses f, which does nothing, and the space bar, which is the hook.");
    good = good && demo_call(command_adapter, "adapter", "--changes", in, keys, name, flash, NULL);
    puts(
        "\n3. Nobody has a computer. By four buttons and two lines the hook goes to the key f, the "
        "winch is\n   slowed down, and the worn stick calibrated. Then the power goes; all of it "
        "is "
        "there again.");
    good = good && demo_call(command_sim, "sim", "--panel", "--buttons", "4", "--presses", presses,
                             in, keys, in, grip, name, flash, NULL);
    puts(
        "\n4. The key f is the hook now, and the space bar is free. The calibration is kept, too.");
    good = good &&
           demo_call(command_adapter, "adapter", "--changes", in, keys, name, flash, NULL) &&
           demo_call(command_slots, "slots", "list", name, flash, NULL);
    puts("\n5. Who fetches the profile later finds it in the sheet, comments and all.");
    return good && demo_call(command_slots, "slots", "get", "1", "--into", into, "--force", name,
                             flash, NULL);
}
