"""Operations on a session, conflicts, drafts and takes, presets, the live channel."""
