"""What is handed over: deliverables, stems, names, loudness, chart, report."""
