"""What the interface has to know of the language, told by the code that checks it: names of `viewer.`, functions, kinds of mask."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.core.bundle.structure import VIEWER_MANY, VIEWER_SINGLE
from moorland.core.engine.mask_kinds import MaskKindShape, described_kinds
from moorland.core.language.parser import AGGREGATES, FUNCTIONS, WRITTEN_OUT
from moorland.server.duties.permission import ANY_DUTY
from moorland.server.errors import answer


class ViewerName(Shape):
    """A name that may follow `viewer.` beside the attributes; a many-valued one stands only after IN (4.4)."""

    name: str
    many: bool


class VocabularyAnswer(Shape):
    """The words of the language that are not of a model."""

    viewer: list[ViewerName]
    functions: list[str]
    aggregates: list[str]
    masks: list[MaskKindShape]


class Vocabulary(APIView):
    """By duty: the names, functions and kinds of mask there are."""

    needs = {"GET": ANY_DUTY}

    @extend_schema(responses=VocabularyAnswer)
    def get(self, request: Request) -> Response:
        names = [ViewerName(name=name, many=name in VIEWER_MANY) for name in (*VIEWER_SINGLE, *VIEWER_MANY)]
        return answer(VocabularyAnswer(viewer=names, functions=[*FUNCTIONS, *WRITTEN_OUT], aggregates=list(AGGREGATES), masks=described_kinds()))
