"""Other people's charts: their files read into lines, with every figure's origin, and a question where there is a doubt.

    files -> table -> settings (values, projections) -> lines -> preview

Nothing is guessed in silence: a figure is as it stands in a cell, or it is marked as assumed, or a person is asked. What is
asked waits: its line is made only once the question is answered or the row is left out on purpose.
"""

from oakbeam.formats.chart_import.files import ZIP, File, file_of, text_of
from oakbeam.formats.chart_import.made import Made
from oakbeam.formats.chart_import.preview import MEANINGS, Column, Preview, SheetSeen, answers_of, preview
from oakbeam.formats.chart_import.questions import REMEMBERED, Question, Taken

__all__ = [
    "MEANINGS",
    "REMEMBERED",
    "ZIP",
    "Column",
    "File",
    "Made",
    "Preview",
    "Question",
    "SheetSeen",
    "Taken",
    "answers_of",
    "file_of",
    "preview",
    "text_of",
]
