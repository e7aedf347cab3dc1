import subprocess
import sys

CODE = """
import importlib, pkgutil, sys
for name in ("PySide6", "shiboken6"):
    sys.modules[name] = None  # importing it now fails
import silhueta.core
count = 0
for module in pkgutil.walk_packages(silhueta.core.__path__, "silhueta.core."):
    importlib.import_module(module.name)
    count += 1
print(count)
"""


def test_all_of_core_imports_without_qt():
    done = subprocess.run([sys.executable, "-c", CODE], capture_output=True, text=True, check=True)
    assert int(done.stdout) > 40


def test_the_window_opens_without_the_heavy_packages():
    # the heavy packages are imported where they are used, so that the window opens at once
    code = """
import sys
from silhueta.app.main import application
from silhueta.app.window import Window
application()
window = Window()
window.show()
heavy = ("numpy", "PIL", "numba", "scipy", "shapely", "ezdxf", "cv2")
print([name for name in heavy if name in sys.modules])
window.close()
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
