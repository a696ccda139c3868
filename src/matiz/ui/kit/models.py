"""What Qt's models are asked with."""

from PySide6.QtCore import QModelIndex, QPersistentModelIndex

Index = QModelIndex | QPersistentModelIndex
ROOT = QModelIndex()
"""The parent of all rows of a list."""
