"""What can be done to parts: one module an action. Routes, jobs and scripts call the same ones."""
