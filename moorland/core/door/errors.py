"""What is wrong with a statement, in the standard's codes."""

#: Codes of the standard that are used, by what they mean.
SYNTAX, NO_COLUMN, NO_TABLE, AMBIGUOUS, NOT_SUPPORTED, WRONG_TYPE, NOT_GROUPED = "42601", "42703", "42P01", "42702", "0A000", "42804", "42803"
READ_ONLY, NO_FUNCTION, TOO_MUCH, NO_ACCESS, CANCELLED, BAD_PARAMETER = "25006", "42883", "54000", "28000", "57014", "08P01"


class SqlRefused(Exception):
    """A statement that is not answered: the code, a sentence, what to do, and the place in the text (from 0) where there is one."""

    def __init__(self, code: str, message: str, hint: str | None = None, position: int | None = None) -> None:
        self.code, self.message, self.hint, self.position = code, message, hint, position
        super().__init__(message)


def refused_as(code: str, message: str) -> SqlRefused:
    """A refusal of the evaluator in the standard's codes."""
    codes = {"not_found": "42703", "no_access": "28000", "too_costly": "54000", "not_available": "57P03"}
    return SqlRefused(codes.get(code, "42601"), message)
