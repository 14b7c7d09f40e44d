"""Tables. A shot's correction is its current version; versions are never changed or deleted."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, ClassVar

from sqlalchemy import ForeignKey, MetaData, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


def now() -> datetime:
    return datetime.now(UTC)


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
    __tablename__ = "production"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    day: Mapped[str] = mapped_column(String(100), default="")
    output: Mapped[str] = mapped_column(String(40), default="rec709")
    percentiles: Mapped[list[Any]] = mapped_column(default=lambda: [1.0, 50.0, 99.0])

    cameras: Mapped[list[Camera]] = relationship(back_populates="production", order_by="Camera.letter")
    families: Mapped[list[Family]] = relationship(back_populates="production", order_by="Family.position")
    shots: Mapped[list[Shot]] = relationship(back_populates="production", order_by="Shot.name, Shot.id")


class Camera(Base):
    __tablename__ = "camera"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    letter: Mapped[str] = mapped_column(String(4))
    name: Mapped[str] = mapped_column(String(100), default="")
    encoding: Mapped[str] = mapped_column(String(1000), default="rec709")

    production: Mapped[Production] = relationship(back_populates="cameras")


class Family(Base):
    __tablename__ = "family"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    position: Mapped[int] = mapped_column(default=0)
    reference_id: Mapped[int | None] = mapped_column(ForeignKey("kept_frame.id", use_alter=True))

    production: Mapped[Production] = relationship(back_populates="families")
    reference: Mapped[KeptFrame | None] = relationship(foreign_keys=[reference_id])


class Shot(Base):
    """One clip. `clip` holds what probing found; `fault` says what is wrong with the file.

    `progress` is ``waiting``, ``measuring``, ``ready`` or ``faulty``; `state` is how far the
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
    fault: Mapped[str] = mapped_column(String(1000), default="")
    progress: Mapped[str] = mapped_column(String(20), default="waiting")
    state: Mapped[str] = mapped_column(String(20), default="new")
    measured: Mapped[dict[str, Any]] = mapped_column(default=dict)
    drift: Mapped[list[Any]] = mapped_column(default=list)
    distance: Mapped[float | None]
    proxy: Mapped[str] = mapped_column(String(2000), default="")
    version_id: Mapped[int | None] = mapped_column(ForeignKey("version.id", use_alter=True))

    production: Mapped[Production] = relationship(back_populates="shots")
    camera: Mapped[Camera] = relationship()
    family: Mapped[Family | None] = relationship()
    version: Mapped[Version | None] = relationship(foreign_keys=[version_id], post_update=True)


class Version(Base):
    """One state of a shot's balance; `parent` is what it was made from, so undo walks up.

    `readings` are those of the shot's middle frame under it, where the frame could be read.
    """

    __tablename__ = "version"

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("version.id"))
    numbers: Mapped[list[Any]]
    change: Mapped[str] = mapped_column(String(200), default="")
    state: Mapped[str] = mapped_column(String(20), default="new")
    distance: Mapped[float | None]
    readings: Mapped[list[Any] | None]
    made_at: Mapped[datetime] = mapped_column(default=now)


class KeptFrame(Base):
    """A frame kept with its correction and its measurements; any can become a reference."""

    __tablename__ = "kept_frame"

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id"), index=True)
    frame: Mapped[int]
    numbers: Mapped[list[Any]]
    readings: Mapped[list[Any]]
    kept_at: Mapped[datetime] = mapped_column(default=now)

    shot: Mapped[Shot] = relationship()


class Handover(Base):
    """What was handed over, when, with which versions."""

    __tablename__ = "handover"

    id: Mapped[int] = mapped_column(primary_key=True)
    production_id: Mapped[int] = mapped_column(ForeignKey("production.id"), index=True)
    folder: Mapped[str] = mapped_column(String(2000))
    files: Mapped[list[Any]] = mapped_column(default=list)
    made_at: Mapped[datetime] = mapped_column(default=now)
