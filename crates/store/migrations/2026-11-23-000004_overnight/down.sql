drop table benefit_runs;
