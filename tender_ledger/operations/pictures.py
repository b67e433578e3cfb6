"""Pictures of plants: brought, kept without their metadata, taken back."""

from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.formats.isolation import isolated
from tender_ledger.formats.pictures import read_picture
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.storage.models import Picture, PictureData
from tender_ledger.storage.queries import pictures, plants


def keep_picture(scope: Scope, number: int, data: bytes, *, name: str = "", caption: str = "", with_position: bool = False,
                 client_key: str | None = None) -> int:  # fmt: skip
    """Keep a picture of a plant, drawn anew; returns its id. What was brought is not kept, nor its metadata; the position that
    stood there is kept only `with_position`. Refused for what is no picture, or too large."""
    scope.viewer.require(Right.RECORD)
    plant = plants.plant(scope, number)
    if plant is None:
        raise NotFound(f"plant {number}")
    if not data:
        raise Refused({"file": "Choose a picture: JPEG, PNG, WebP or TIFF, at most 20 MB."})
    try:
        kept = isolated(read_picture, data, name or "the picture")
    except InputRefused as refused:
        raise Refused({"file": str(refused.problems[0])}) from refused
    position = kept.position if with_position else None
    values = {
        "plant_id": plant["id"], "caption": clean(caption), "width": kept.width, "height": kept.height,
        "latitude": position.latitude if position else None, "longitude": position.longitude if position else None,
        "client_key": client_key,
    }  # fmt: skip

    def make() -> int:
        with saving(scope, "keep_picture") as writing:
            made = writing.create(Picture, values)
            PictureData.insert(picture_id=made, study_id=scope.study_id, whole=kept.whole, small=kept.small).execute()
            return made

    return made_once(scope, "picture", client_key, make)


def remove_picture(scope: Scope, picture_id: int, version: int) -> int:
    """Take a picture back; undo brings it again. Returns the number of its plant."""
    scope.viewer.require(Right.RECORD)
    found = pictures.picture(scope, picture_id)
    if found is None:
        raise NotFound(f"picture {picture_id}")
    with saving(scope, "remove_picture") as writing:
        writing.remove(Picture, picture_id, version)
    return int(found["plant"])
