"""One part dealt to several places, note by note."""
