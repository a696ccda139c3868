"""The errors that reach a user. Each message says what, which file or field, and what to do."""


class MatizError(Exception):
    """Base of every error that Matiz raises on purpose."""


class ArgumentError(MatizError, ValueError):
    """A value given to a function or a command is outside what it takes."""


class FileError(MatizError, OSError):
    """A file cannot be read or written."""


class FormatError(FileError):
    """A file was read, and its contents are wrong or unsupported."""


class RecipeError(MatizError, ValueError):
    """A recipe field is unknown, of the wrong kind or out of range."""


class Cancelled(MatizError):
    """The user stopped a job; nothing that was finished is lost."""
