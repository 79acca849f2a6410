int command_demo(int count, char **arguments);
int command_demo(int count, char **arguments) { (void)count; (void)arguments; return 0; }
