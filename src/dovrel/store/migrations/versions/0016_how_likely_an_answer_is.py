"""the likelihood of an answer is called confidence in reports of matches"""

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

_RENAMED = """
UPDATE version
SET report = (report - '{before}') || jsonb_build_object('{after}', report -> '{before}')
WHERE report ? '{before}'
"""


def upgrade() -> None:
    op.execute(_RENAMED.format(before="sureness", after="confidence"))


def downgrade() -> None:
    op.execute(_RENAMED.format(before="confidence", after="sureness"))
