"""Movement in rhythm: pulses and their reading against the bar, and one part dealt to several places in turn."""
