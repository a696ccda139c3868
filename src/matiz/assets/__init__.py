"""Files that ship with Matiz: fonts, icons, colour tables, and their licences."""

from pathlib import Path

FOLDER = Path(__file__).parent
