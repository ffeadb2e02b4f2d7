"""What is measured of a mix: balance, placements, rhythm, the room, reports."""
