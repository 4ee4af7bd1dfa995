"""The one family of errors that the core raises: each carries a sentence for the person at the screen."""

from __future__ import annotations


class PlethosError(Exception):
    """Something a rigger can understand and act on.

    Parameters
    ----------
    sentence
        What is wrong, where, and what to do, as one sentence.
    """

    def __init__(self, sentence: str) -> None:
        # It may quote a file or a request, be that text or not.
        self.sentence = sentence.encode(errors="replace").decode().replace("\0", "?")
        super().__init__(self.sentence)


class BadFileError(PlethosError):
    """A file that cannot be read: the sentence names the fault."""


class WhichSceneError(BadFileError):
    """A file of several scenes, of which one has to be chosen.

    Parameters
    ----------
    scenes
        What they are called, in the order of the file.
    """

    def __init__(self, scenes: tuple[str, ...]) -> None:
        names = ", ".join(f"“{name}”" for name in scenes)
        super().__init__(f"The file holds several scenes: say which of them is to be brought in: {names}.")
        self.scenes = scenes

    def __reduce__(self) -> tuple[type[WhichSceneError], tuple[tuple[str, ...]]]:
        return WhichSceneError, (self.scenes,)  # it comes from the process that reads files


class BadPoseError(PlethosError):
    """A pose that names an unknown joint or holds a broken rotation."""


class BadEditError(PlethosError):
    """An edit that does not fit the character: unknown remedy, empty sculpt, broken knots."""


class JointNeededError(BadEditError):
    """A joint that cannot go as long as remedies need it."""
