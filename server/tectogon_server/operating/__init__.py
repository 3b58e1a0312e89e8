"""Running the site: settings that production must have, requests as they are logged and counted, readiness, results
handed from one machine to another."""
