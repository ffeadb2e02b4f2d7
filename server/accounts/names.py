"""What people are called."""


def shown_name(user) -> str:
    """What a person is called on the page."""
    return user.get_full_name() or user.username
