drop table questionnaire_responses;
drop table questionnaires;
drop table text_templates;
