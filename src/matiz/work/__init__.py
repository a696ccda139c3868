"""What goes on while a picture is open, without Qt: the session, jobs, saving, measuring, what goes across pictures."""
