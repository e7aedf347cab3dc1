"""Many at once in the window: a recipe over a folder of pictures, watched as it goes."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

if TYPE_CHECKING:
    from silhueta.app.many_dialog import ManyDialog
    from silhueta.app.window import Window


class Many(QObject):
    """What the window does with many pictures."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        self.dialog: ManyDialog | None = None

    def show(self) -> None:
        """Show what is under way, or what can be begun."""
        from silhueta.app.many_dialog import ManyDialog

        if self.dialog is None:
            self.dialog = ManyDialog(self._window)
        self.dialog.show()
        self.dialog.raise_()

    def save_recipe(self) -> None:
        """Ask where, and save the present job's steps as a recipe there."""
        from silhueta.core.errors import FileError
        from silhueta.core.files.atomic import write_whole
        from silhueta.core.keep.recipe_from import recipe_from

        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Save the recipe", str(File.home() / "recipe.toml"), "Recipes (*.toml)"
        )
        if not chosen:
            return
        target = File(chosen)
        target = target if target.suffix == ".toml" else target.with_name(f"{target.name}.toml")
        taken = recipe_from(self._window.session.job)
        try:
            write_whole(target, taken.recipe.text().encode())
        except FileError as error:
            self._window.say(str(error))
            return
        if taken.left:
            self._window.say(f"{target.name} has all but {', '.join(taken.left)}")
        if self.dialog is not None:
            self.dialog.recipe.setText(str(target))

    def close(self) -> None:
        """End what is under way; it can be resumed."""
        if self.dialog is not None:
            self.dialog.stop()
            self.dialog.close()
