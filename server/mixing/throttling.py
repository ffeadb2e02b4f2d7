"""How often one may do a thing: each counted by itself, by person where one is signed in, else by address."""

from ninja.throttling import AnonRateThrottle, AuthRateThrottle


class Often(AuthRateThrottle):
    """So many times by one person, for example ``Often("invite", "30/m")``."""

    def __init__(self, what: str, rate: str) -> None:
        self.scope = f"auth-{what}"
        super().__init__(rate)


class OftenAtTheDoor(AnonRateThrottle):
    """So many times from one address, by those who are not signed in."""

    def __init__(self, what: str, rate: str) -> None:
        self.scope = f"anon-{what}"
        super().__init__(rate)
