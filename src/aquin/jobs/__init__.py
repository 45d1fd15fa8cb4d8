"""What the program does, one task a file: no Qt, nothing printed. The window and the command line call these alike."""
