"""Tables. A shot's correction is its current version; versions are never changed or deleted."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, ClassVar

from sqlalchemy import ForeignKey, MetaData, String, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from dovrel.core.steps.correction import PLAIN, Level
from dovrel.core.steps.documents import written


def now() -> datetime:
    return datetime.now(UTC)


def nothing_done(level: Level) -> dict[str, Any]:
    """The document of a correction that a level begins with."""
    return written(PLAIN[level])


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar = {dict[str, Any]: JSONB, list[Any]: JSONB}


class Production(Base):
    """`correction` is the show's finish, a document as :mod:`dovrel.core.steps.documents` has them.

    `template` are the corrections that new shots and new families start with: ``shot`` and ``family``.

    `line_up` are the uses of shots in story order, each a shot's number and the first and last
    frame used (null: all of it); a shot may be used more than once, or not at all.

    `encodings` is the production's table of encodings by camera: entries with ``make``, ``model``
    and ``encoding``; `assumed_encoding` is for clips that nothing is known of. `tolerance` is the
    distance up to which a shot is taken to match. `markers` are named places on the scopes: entries
    with ``name`` and a ``level``, or ``cb`` and ``cr``, in percent.
    """

    __tablename__ = "production"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    day: Mapped[str] = mapped_column(String(100), default="")
    output: Mapped[str] = mapped_column(String(40), default="rec709")
    percentiles: Mapped[list[Any]] = mapped_column(default=lambda: [1.0, 50.0, 99.0])
    correction: Mapped[dict[str, Any]] = mapped_column(default=lambda: nothing_done("show"))
    template: Mapped[dict[str, Any]] = mapped_column(
        default=lambda: {level: nothing_done(level) for level in ("shot", "family")}
    )
    line_up: Mapped[list[Any]] = mapped_column(default=list)
    encodings: Mapped[list[Any]] = mapped_column(default=list)
    assumed_encoding: Mapped[str] = mapped_column(String(1000), default="rec709")
    tolerance: Mapped[float] = mapped_column(default=3.0)
    markers: Mapped[list[Any]] = mapped_column(default=list)

    cameras: Mapped[list[Camera]] = relationship(back_populates="production", order_by="Camera.letter")
    families: Mapped[list[Family]] = relationship(back_populates="production", order_by="Family.position")
    shots: Mapped[list[Shot]] = relationship(back_populates="production", order_by="Shot.name, Shot.id")


class Camera(Base):
    """`correction` is the camera's trim; a camera that was merged into another is `retired`.

    `make` and `model` are as its clips say. `encoding` was chosen for the `reason` given; it is
    `assumed` until somebody, or a clip, has said so. `proposed` is the encoding that its clips speak
    for, whatever was chosen; empty if they speak for none.
    """

    __tablename__ = "camera"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    letter: Mapped[str] = mapped_column(String(4))
    name: Mapped[str] = mapped_column(String(100), default="")
    make: Mapped[str] = mapped_column(String(100), default="")
    model: Mapped[str] = mapped_column(String(100), default="")
    encoding: Mapped[str] = mapped_column(String(1000), default="rec709")
    proposed: Mapped[str] = mapped_column(String(1000), default="")
    assumed: Mapped[bool] = mapped_column(default=False)
    reason: Mapped[str] = mapped_column(String(300), default="")
    correction: Mapped[dict[str, Any]] = mapped_column(default=lambda: nothing_done("camera"))
    retired: Mapped[bool] = mapped_column(default=False)

    production: Mapped[Production] = relationship(back_populates="cameras")


class Family(Base):
    """`correction` is the family's look; a family that was merged into another is `retired`.

    `framing` is ``whole``, every picture as it is, or ``reference``: every picture is cut to the
    reference's ratio of width to height.
    """

    __tablename__ = "family"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    position: Mapped[int] = mapped_column(default=0)
    reference_id: Mapped[int | None] = mapped_column(ForeignKey("kept_frame.id", use_alter=True))
    correction: Mapped[dict[str, Any]] = mapped_column(default=lambda: nothing_done("family"))
    framing: Mapped[str] = mapped_column(String(20), default="whole")
    retired: Mapped[bool] = mapped_column(default=False)

    production: Mapped[Production] = relationship(back_populates="families")
    reference: Mapped[KeptFrame | None] = relationship(foreign_keys=[reference_id])


class Shot(Base):
    """One clip. `clip` holds what probing found; `fault` says what is wrong with the file.

    `reading` is what was said of the clip in the place of what its file says or leaves open
    (:class:`dovrel.media.clip.Reading`). `listed` is the checksum that came with the card, if one
    did: its ``kind``, ``value``, and the ``list`` it stood in. A shot that is `off` is removed
    the day: it is kept, and left out of the work.

    `footage` says where its files are: ``here``, ``offline``, or ``replaced`` by others than were taken in.

    `start` is the correction that it starts with, before its first version.

    `left_by` is the match that left it as it was, for its answer had too little confidence; none once it has a new version.

    `progress` is ``waiting``, ``stopped``, ``measuring``, ``ready`` or ``faulty``; `state` is how far the
    work is: ``new``, ``balanced``, ``matched``, ``checked``.
    """

    __tablename__ = "shot"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    family_id: Mapped[int | None] = mapped_column(ForeignKey("family.id"), index=True)
    camera_id: Mapped[int] = mapped_column(ForeignKey("camera.id"))
    name: Mapped[str] = mapped_column(String(200))
    path: Mapped[str] = mapped_column(String(2000), unique=True)
    checksum: Mapped[str] = mapped_column(String(64), default="")
    clip: Mapped[dict[str, Any]] = mapped_column(default=dict)
    reading: Mapped[dict[str, Any]] = mapped_column(default=dict)
    listed: Mapped[dict[str, Any]] = mapped_column(default=dict)
    off: Mapped[bool] = mapped_column(default=False)
    footage: Mapped[str] = mapped_column(String(20), default="here")
    fault: Mapped[str] = mapped_column(String(1000), default="")
    progress: Mapped[str] = mapped_column(String(20), default="waiting")
    state: Mapped[str] = mapped_column(String(20), default="new")
    measured: Mapped[dict[str, Any]] = mapped_column(default=dict)
    # Only its own request needs it, and it is long.
    drift: Mapped[list[Any]] = mapped_column(default=list, deferred=True)
    distance: Mapped[float | None]
    proxy: Mapped[str] = mapped_column(String(2000), default="")
    note: Mapped[str] = mapped_column(String(2000), default="")
    start: Mapped[dict[str, Any]] = mapped_column(default=lambda: nothing_done("shot"))
    version_id: Mapped[int | None] = mapped_column(ForeignKey("version.id", use_alter=True))
    left_by_id: Mapped[int | None] = mapped_column(ForeignKey("operation.id"))

    production: Mapped[Production] = relationship(back_populates="shots")
    left_by: Mapped[Operation | None] = relationship(lazy="selectin")
    camera: Mapped[Camera] = relationship()
    family: Mapped[Family | None] = relationship()
    version: Mapped[Version | None] = relationship(foreign_keys=[version_id], post_update=True)


class Version(Base):
    """One state of a shot's own correction; `parent` is what it was made from, so undo walks up.

    `readings` are those of the shot's middle frame under it, where the frame could be read; `report` is
    what matching said, of this version or of the one it was made from.
    """

    __tablename__ = "version"

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("version.id"))
    correction: Mapped[dict[str, Any]]
    change: Mapped[str] = mapped_column(String(200), default="")
    state: Mapped[str] = mapped_column(String(20), default="new")
    distance: Mapped[float | None]
    readings: Mapped[list[Any] | None]
    report: Mapped[dict[str, Any] | None]
    made_at: Mapped[datetime] = mapped_column(default=now)


class StoredTrack(Base):
    """Places of a subject, or of the camera, frame by frame: see :class:`dovrel.core.steps.track.Track`."""

    __tablename__ = "track"

    digest: Mapped[str] = mapped_column(String(32), primary_key=True)
    drawn: Mapped[int]
    first: Mapped[int]
    aspect: Mapped[float]
    places: Mapped[bytes]


class KeptFrame(Base):
    """A frame kept with its corrections and its measurements; any can become a reference.

    `levels` are the documents of all four levels as they were: ``camera``, ``shot``, ``family``, ``show``.
    """

    __tablename__ = "kept_frame"

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id"), index=True)
    frame: Mapped[int]
    levels: Mapped[dict[str, Any]]
    readings: Mapped[list[Any]]
    kept_at: Mapped[datetime] = mapped_column(default=now)

    shot: Mapped[Shot] = relationship()


class Handover(Base):
    """What was handed over, when, with which versions.

    `order` is what all files that carry numbers have in common: :class:`dovrel.jobs.handing_numbers.Numbers`. The last of its
    items is the list of checksums, which is written once all others have ended.
    """

    __tablename__ = "handover"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    folder: Mapped[str] = mapped_column(String(2000))
    order: Mapped[dict[str, Any]] = mapped_column(default=dict)
    made_at: Mapped[datetime] = mapped_column(default=now)
    cancelled: Mapped[bool] = mapped_column(default=False)
    shots: Mapped[list[HandedShot]] = relationship(back_populates="handover", order_by="HandedShot.id")
    items: Mapped[list[HandoverItem]] = relationship(back_populates="handover", order_by="HandoverItem.id")

    @property
    def files(self) -> list[dict[str, Any]]:
        """All files that carry numbers, in the order in which they were asked for."""
        return [file for item in self.items for file in item.files]


class HandedShot(Base):
    """A shot as it was when it was handed over.

    `levels` are the documents of all four levels, as a kept frame has them; `sum` is a checksum of them and of how the clip was
    read; `uses` are the first and last frame of each use in the line-up, by their place in it.
    """

    __tablename__ = "handed_shot"

    id: Mapped[int] = mapped_column(primary_key=True)
    handover_id: Mapped[int] = mapped_column(ForeignKey("handover.id"), index=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id"))
    version_id: Mapped[int | None]
    name: Mapped[str] = mapped_column(String(200))
    stem: Mapped[str] = mapped_column(String(200))
    family: Mapped[str] = mapped_column(String(200), default="")
    sum: Mapped[str] = mapped_column(String(64))
    uses: Mapped[list[Any]] = mapped_column(default=list)
    # A list of handovers needs none of them, and they are long.
    levels: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    handover: Mapped[Handover] = relationship(back_populates="shots")
    shot: Mapped[Shot] = relationship()


class HandoverItem(Base):
    """A part of a handover that one task writes: what a shot's numbers are in, a shot rendered, or what is of all shots."""

    __tablename__ = "handover_item"

    id: Mapped[int] = mapped_column(primary_key=True)
    handover_id: Mapped[int] = mapped_column(ForeignKey("handover.id"), index=True)
    handed_id: Mapped[int | None] = mapped_column(ForeignKey("handed_shot.id"))
    """Whose it is; None for what is of all shots."""
    kind: Mapped[str] = mapped_column(String(20))
    """``numbers``, ``lists``, ``report``, ``checksums``, or a key of :data:`dovrel.media.writing.KINDS`."""
    name: Mapped[str] = mapped_column(String(200))
    pictures: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """How its pictures are made, if it is rendered: :class:`dovrel.jobs.picturing.Pictures`."""
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    """waiting, working, done, failed or cancelled."""
    part: Mapped[float] = mapped_column(default=0.0)
    difference: Mapped[float | None]
    said: Mapped[str] = mapped_column(String(1000), default="")
    files: Mapped[list[Any]] = mapped_column(default=list)
    """What was written that is not rendered: each its ``name``, ``format``, ``shot`` and ``version_id``."""
    handover: Mapped[Handover] = relationship(back_populates="items")
    handed: Mapped[HandedShot | None] = relationship()

    @property
    def version_id(self) -> int | None:
        """Which version of its shot it is of."""
        return self.handed.version_id if self.handed else None


class TakingIn(Base):
    """A folder that was taken in: how many clips there were, what was passed over and why, by name.

    `lists` are the checksum lists found: each its name, how many files it names, and those of
    them that are not there.
    """

    __tablename__ = "taking_in"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    folder: Mapped[str] = mapped_column(String(2000))
    total: Mapped[int] = mapped_column(default=0)
    done: Mapped[int] = mapped_column(default=0)
    stopped: Mapped[bool] = mapped_column(default=False)
    passed: Mapped[list[Any]] = mapped_column(default=list)
    lists: Mapped[list[Any]] = mapped_column(default=list)
    made_at: Mapped[datetime] = mapped_column(default=now)


class Operation(Base):
    """Something done to several rows that is undone as one; `orders` say how a batch is done.

    `total` is how many shots a batch goes through; each leaves an item when it is through. `compared` is the part of what
    shots share that has been looked for, 0..1, while a family is compared; 1 where nothing is.
    """

    __tablename__ = "operation"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    what: Mapped[str] = mapped_column(String(200))
    orders: Mapped[dict[str, Any]] = mapped_column(default=dict)
    total: Mapped[int] = mapped_column(default=0)
    compared: Mapped[float] = mapped_column(default=1.0)
    cancelled: Mapped[bool] = mapped_column(default=False)
    undone: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[datetime] = mapped_column(default=now)

    items: Mapped[list[OperationItem]] = relationship(order_by="OperationItem.id")


class OperationItem(Base):
    """What one operation changed in one row: its attributes before and after, or why it failed."""

    __tablename__ = "operation_item"
    __table_args__ = (UniqueConstraint("operation_id", "target", "target_id", name="uq_operation_item_operation_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    operation_id: Mapped[int] = mapped_column(ForeignKey("operation.id"))
    target: Mapped[str] = mapped_column(String(20))
    target_id: Mapped[int]
    before: Mapped[dict[str, Any]] = mapped_column(default=dict)
    after: Mapped[dict[str, Any]] = mapped_column(default=dict)
    said: Mapped[str] = mapped_column(String(1000), default="")
    failed: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[datetime] = mapped_column(default=now)
