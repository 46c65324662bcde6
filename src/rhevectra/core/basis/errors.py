"""The two ways an input can be wrong. Each carries one clear sentence for a person."""

from collections.abc import Iterable


class InputError(ValueError):
    """Something a person wrote cannot be used: where it stands, what is wrong, what is accepted."""

    def __init__(self, where: str, wrong: str, accepted: str = "") -> None:
        self.where, self.wrong, self.accepted = where, wrong, accepted
        sentence = f"{where}: {wrong}" if where else wrong
        super().__init__(f"{sentence}; accepted: {accepted}" if accepted else sentence)


class NotAQuantity(InputError):
    """A text that is not an engineering number of the expected unit."""


def nearest(word: str, known: Iterable[str], count: int = 1) -> list[str]:
    """Known names that a mistyped one may have meant, the likeliest first."""
    import difflib  # wanted only where something is mistyped

    return difflib.get_close_matches(word, list(known), count, 0.45)
