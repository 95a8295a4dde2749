"""Errors an artist can act on. Every message is one clear sentence."""


class AulmoError(Exception):
    """Base of all errors that are shown to the artist as they are."""


class BadFile(AulmoError):
    """A file that cannot be read or is not what it claims to be."""


class BadValue(AulmoError):
    """A number, name or option that makes no sense where it was given."""


class CannotWrite(AulmoError):
    """A file that could not be written; what was there before is untouched."""
