"""The one exception that a caller's request can cause."""


class Error(Exception):
    """What is wrong, where, and what to do about it.

    Attributes:
        what: what is wrong.
        where: the parameter, file, line or option it is about; may be empty.
        remedy: what to do; may be empty.
        status: 2 the request is wrong, 3 the solver failed, 4 the store or the machine failed.
    """

    def __init__(self, what: str, where: str = "", remedy: str = "", status: int = 2):
        super().__init__(": ".join(part for part in (what, where, remedy) if part))
        self.what = what
        self.where = where
        self.remedy = remedy
        self.status = status

    def __reduce__(self):
        return Error, (self.what, self.where, self.remedy, self.status)
