# The demo's job, as the tests of the page ask for it.
x_job <- function() {
  project <- read_project(demo_file())
  render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
}
