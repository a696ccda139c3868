"""What Matiz asks of the operating system: files, folders of the user's own, child processes, locks, libraries."""
