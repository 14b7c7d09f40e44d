"""the first tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:

    op.create_table(
        "production",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("day", sa.String(length=100), nullable=False),
        sa.Column("output", sa.String(length=40), nullable=False),
        sa.Column("percentiles", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_production")),
    )
    op.create_table(
        "camera",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("production_id", sa.Integer(), nullable=False),
        sa.Column("letter", sa.String(length=4), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("encoding", sa.String(length=1000), nullable=False),
        sa.ForeignKeyConstraint(["production_id"], ["production.id"], name=op.f("fk_camera_production_id_production")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_camera")),
    )
    op.create_index(op.f("ix_camera_production_id"), "camera", ["production_id"], unique=False)
    op.create_table(
        "family",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("production_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("reference_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["production_id"], ["production.id"], name=op.f("fk_family_production_id_production")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_family")),
    )
    op.create_index(op.f("ix_family_production_id"), "family", ["production_id"], unique=False)
    op.create_table(
        "handover",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("production_id", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(length=2000), nullable=False),
        sa.Column("files", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["production_id"], ["production.id"], name=op.f("fk_handover_production_id_production")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_handover")),
    )
    op.create_index(op.f("ix_handover_production_id"), "handover", ["production_id"], unique=False)
    op.create_table(
        "shot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("production_id", sa.Integer(), nullable=False),
        sa.Column("family_id", sa.Integer(), nullable=True),
        sa.Column("camera_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("path", sa.String(length=2000), nullable=False),
        sa.Column("checksum", sa.String(length=64), nullable=False),
        sa.Column("clip", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("fault", sa.String(length=1000), nullable=False),
        sa.Column("progress", sa.String(length=20), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("measured", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("drift", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("distance", sa.Double(), nullable=True),
        sa.Column("proxy", sa.String(length=2000), nullable=False),
        sa.Column("version_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["camera_id"], ["camera.id"], name=op.f("fk_shot_camera_id_camera")),
        sa.ForeignKeyConstraint(["family_id"], ["family.id"], name=op.f("fk_shot_family_id_family")),
        sa.ForeignKeyConstraint(["production_id"], ["production.id"], name=op.f("fk_shot_production_id_production")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shot")),
        sa.UniqueConstraint("path", name=op.f("uq_shot_path")),
    )
    op.create_index(op.f("ix_shot_family_id"), "shot", ["family_id"], unique=False)
    op.create_index(op.f("ix_shot_production_id"), "shot", ["production_id"], unique=False)
    op.create_table(
        "kept_frame",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("frame", sa.Integer(), nullable=False),
        sa.Column("numbers", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("readings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("kept_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["shot_id"], ["shot.id"], name=op.f("fk_kept_frame_shot_id_shot")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_frame")),
    )
    op.create_index(op.f("ix_kept_frame_shot_id"), "kept_frame", ["shot_id"], unique=False)
    op.create_table(
        "version",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("parent_id", sa.Integer(), nullable=True),
        sa.Column("numbers", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("change", sa.String(length=200), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("distance", sa.Double(), nullable=True),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["parent_id"], ["version.id"], name=op.f("fk_version_parent_id_version")),
        sa.ForeignKeyConstraint(["shot_id"], ["shot.id"], name=op.f("fk_version_shot_id_shot")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_version")),
    )
    op.create_index(op.f("ix_version_shot_id"), "version", ["shot_id"], unique=False)

    op.create_foreign_key("fk_family_reference_id_kept_frame", "family", "kept_frame", ["reference_id"], ["id"])
    op.create_foreign_key("fk_shot_version_id_version", "shot", "version", ["version_id"], ["id"])


def downgrade() -> None:
    op.drop_constraint("fk_shot_version_id_version", "shot")
    op.drop_constraint("fk_family_reference_id_kept_frame", "family")

    op.drop_index(op.f("ix_version_shot_id"), table_name="version")
    op.drop_table("version")
    op.drop_index(op.f("ix_kept_frame_shot_id"), table_name="kept_frame")
    op.drop_table("kept_frame")
    op.drop_index(op.f("ix_shot_production_id"), table_name="shot")
    op.drop_index(op.f("ix_shot_family_id"), table_name="shot")
    op.drop_table("shot")
    op.drop_index(op.f("ix_handover_production_id"), table_name="handover")
    op.drop_table("handover")
    op.drop_index(op.f("ix_family_production_id"), table_name="family")
    op.drop_table("family")
    op.drop_index(op.f("ix_camera_production_id"), table_name="camera")
    op.drop_table("camera")
    op.drop_table("production")
