"""Names in addresses: any name can stand there, also one with a slash, or of points only."""

from urllib.parse import quote, unquote

from django.urls import register_converter
from django.urls.converters import StringConverter


class NameConverter(StringConverter):
    """A name, encoded once more than an address is: `a/b` is written `a%252Fb`, `..` is `%252E%252E`. A name without such signs is written as it is."""

    def to_python(self, value: str) -> str:
        return unquote(value)

    def to_url(self, value: str) -> str:
        return quote(value, safe="")


register_converter(NameConverter, "name")
