"""What holds the views: window, shelf, trail, the line, commands, the job in hand, work beside the window."""
